import { SwapOutlined } from '@ant-design/icons';
import { useMay } from '../api/people';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Input, Select } from 'antd';
import { useEffect, useId, useRef, useState } from 'react';
import { Link, useLocation, useNavigate } from 'react-router';
import {
  answer,
  api,
  type Cause,
  type Counts,
  type Definition,
  type Look,
  type SetView,
  type Sieve,
} from '../api/client';
import { useSets } from '../api/queries';
import { useJob } from '../api/useJob';
import { ChainPicture } from '../parts/ChainPicture';
import { useName } from '../parts/useName';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { Loaded } from '../parts/Loaded';
import { Mixed } from '../parts/Balances';
import { Trays } from '../parts/Trays';
import { stays, useUnsaved } from '../parts/useUnsaved';
import { AlignChoice } from '../rows/AlignChoice';
import { Apart } from '../rows/Apart';
import { turned, wholes } from '../rows/look';
import { RowsPanel } from '../rows/RowsPanel';
import { SaveRows } from '../rows/SaveRows';
import { Beside } from '../workbench/Beside';
import { Board } from '../workbench/Board';
import { Causes } from '../workbench/Causes';
import { complete, empty, faultAt, placed, swapped } from '../workbench/definition';
import { Diagnose } from '../workbench/Diagnose';
import { FlowPicture } from '../workbench/FlowPicture';
import { Proposals } from '../workbench/Proposals';
import { Repeated } from '../parts/Repeated';
import { FieldRow, PairRow } from '../workbench/rows';
import { Rules } from '../workbench/Rules';
import { useCounts } from '../workbench/useCounts';
import { useWhole } from '../workbench/useWhole';

/** Thrown where a run does not begin because its sieve could not be saved, which is said by itself. */
const unsaved = new Error('The sieve could not be saved.');

type Remedy = { applied: Definition; remedy: string };

/** A sieve that is open: under which names it has been since, the newest last, and which opening this is. */
type Open = { opening: number; opened?: string; names: (string | undefined)[] };

/**
 * Opens the sieve named in the address, perhaps with a remedy that a report proposes; a new one starts empty. Once open it is not read
 * again, so that nothing takes its edits away; when it gets a name, or another, by being saved, it stays open under that.
 */
export function Workbench() {
  const name = useName();
  const go = useNavigate();
  const { state } = useLocation() as { state: Remedy | string | null };
  const page = useId();
  const [open, setOpen] = useState<Open>({ opening: 0, opened: name, names: [name] });
  let now = open;
  if (!open.names.includes(name)) now = { opening: open.opening + 1, opened: name, names: [name] };
  else if (open.names.length > 1 && open.names.at(-1) === name) now = { ...open, names: [name] };
  if (now !== open) setOpen(now);
  const sieve = useQuery({
    queryKey: ['opened', now.opened, page, now.opening],
    enabled: (query) => now.opened !== undefined && query.state.data === undefined, // once, whatever else is read again
    staleTime: Infinity,
    gcTime: 0,
    queryFn: async () => {
      const { data, response } = await answer(
        api.GET('/api/v1/sieves/{name}', { params: { path: { name: now.opened ?? '' } } }),
      );
      return { sieve: data, etag: response.headers.get('ETag') ?? '' };
    },
  });
  const named = (to: string) => {
    if (to === now.names.at(-1)) return;
    setOpen((o) => ({ ...o, names: [...o.names, to] }));
    void go(`/sieves/of/${encodeURIComponent(to)}`, { replace: true, state: stays });
  };
  if (now.opened === undefined) return <Bench key={now.opening} start={empty} etag="" named={named} />;
  return (
    <Loaded of={sieve}>
      {(read) => (
        <Bench
          key={now.opening}
          start={{ compare: [], ...read.sieve.definition }}
          etag={read.etag}
          remedy={state && typeof state === 'object' ? state : undefined}
          named={named}
        />
      )}
    </Loaded>
  );
}

function Bench({
  start,
  etag: firstTag,
  remedy,
  named,
}: {
  start: Definition;
  etag: string;
  remedy?: Remedy;
  named: (name: string) => void;
}) {
  const [saved, setSaved] = useState({ text: JSON.stringify(start), name: start.name, etag: firstTag });
  const latest = useRef(saved); // as the service knows it, also before the page does
  const saving = useRef(Promise.resolve(true));
  const [draft, setDraft] = useState<Definition>(start);
  const [error, setError] = useState<unknown>();
  const running = useJob();
  const [ran, setRan] = useState<number>();
  const sets = useSets();
  const queries = useQueryClient();
  const go = useNavigate();
  const counting = useCounts(draft, saved.name);
  const [look, setLook] = useState<Look>({ comparison: 'full' });
  // The counts before the last remedy stand beside those after it.
  const [remedied, setRemedied] = useState<{ what: string; before: Counts; draft: Definition }>();
  const [waiting, setWaiting] = useState(remedy); // until the counts without it are there
  const apply = (applied: Definition, what: string) => {
    const next = { compare: [], ...applied, name: draft.name };
    if (counting.counts && !counting.busy) setRemedied({ what, before: counting.counts, draft: next });
    setDraft(next);
  };
  if (waiting && counting.counts && !counting.busy) {
    setWaiting(undefined);
    apply(waiting.applied, waiting.remedy);
  }
  const set = (part: Partial<Definition>) => setDraft((d) => ({ ...d, ...part }));
  const left = sets.data?.find((s) => s.name === draft.left);
  const right = sets.data?.find((s) => s.name === draft.right);
  const dirty = JSON.stringify(draft) !== saved.text;

  // Who presses Save and then Run at once must not be taken for somebody else: one is saved after the other.
  function save(): Promise<boolean> {
    const before = saving.current;
    saving.current = before.then(() => put(draft));
    return saving.current;
  }

  async function put(body: Definition): Promise<boolean> {
    const text = JSON.stringify(body);
    const last = latest.current;
    if (last.name && last.text === text) return true;
    setError(undefined);
    try {
      const { data, response } = last.name
        ? await answer<Sieve>(
            api.PUT('/api/v1/sieves/{name}', {
              params: { path: { name: last.name }, header: { 'If-Match': last.etag } },
              body,
            }),
          )
        : await answer<Sieve>(api.POST('/api/v1/sieves', { body }));
      latest.current = { text, name: data.definition.name, etag: response.headers.get('ETag') ?? '' };
      setSaved(latest.current);
      await queries.invalidateQueries({ queryKey: ['sieves'] });
      named(latest.current.name);
      return true;
    } catch (wrong) {
      setError(wrong);
      return false;
    }
  }

  async function run() {
    setError(undefined);
    const end = await running.run(async () => {
      if ((dirty || !saved.name) && !(await save())) throw unsaved;
      return (await answer(api.POST('/api/v1/runs', { body: { sieve: latest.current.name } }))).data;
    });
    if (end?.result?.run) setRan(end.result.run);
  }
  // The report is opened once nothing is unsaved any more; what was changed while it ran is asked about like any other way out.
  useEffect(() => {
    if (ran) void go(`/reports/${ran}`);
  }, [ran, go]);
  useUnsaved(dirty, saved.name ? `What has changed in ${saved.name}` : 'This new sieve');

  const wrong = error ?? (running.failed === unsaved ? undefined : running.failed) ?? counting.error;
  const may = useMay('analyst');
  const ready = complete(draft) && draft.name.trim() !== '';
  return (
    <>
      <div className="title">
        <div style={{ flex: 1 }}>
          <Input
            aria-label="Name of the sieve"
            placeholder="Name of the sieve"
            variant="underlined"
            value={draft.name}
            onChange={(event) => set({ name: event.target.value })}
            className="name"
          />
          <p
            className="say"
            data-testid="sentence"
            aria-busy={counting.busy}
            style={{ opacity: counting.busy && counting.counts ? 0.6 : 1 }}
          >
            <Sentence draft={draft} counts={counting.counts} />
          </p>
        </div>
        <div className="acts">
          <Button icon={<SwapOutlined />} onClick={() => setDraft(swapped)}>
            Swap sides
          </Button>
          {saved.name && <Button href={`/api/v1/sieves/${encodeURIComponent(saved.name)}/file`}>Sieve file</Button>}
          {saved.name && (
            <Link className="ant-btn-like" to={`/sieves/of/${encodeURIComponent(saved.name)}/crosswalk`}>
              Crosswalk
            </Link>
          )}
          {may && (
            <>
              <Button onClick={() => void save()} disabled={!ready || !dirty}>
                Save
              </Button>
              <Button type="primary" onClick={() => void run()} disabled={!ready || running.busy}>
                Run
              </Button>
            </>
          )}
        </div>
      </div>
      {running.job && <JobBar job={running.job} />}
      {!placed(wrong) && <Fault error={wrong} />}
      <section className="three">
        <SetPanel
          side="left"
          sets={sets.data}
          set={left}
          name={draft.left}
          choose={(name) => set({ left: name })}
          used={draft.key.map((k) => k.left)}
        />
        <div className="panel">
          <h2>The same record when</h2>
          {draft.key.map((part, i) => (
            <PairRow
              what="key pair"
              key={i}
              fault={faultAt(wrong, `key[${i}]`)}
              draft={draft}
              at={i}
              part={part}
              left={left}
              right={right}
              change={(next) => setDraft((d) => ({ ...d, key: d.key.map((k, j) => (j === i ? next : k)) }))}
              remove={draft.key.length > 1 ? () => set({ key: draft.key.filter((_, j) => j !== i) }) : undefined}
            />
          ))}
          <Button type="text" size="small" onClick={() => set({ key: [...draft.key, { left: '', right: '' }] })}>
            + pair of columns
          </Button>
          <h2 style={{ marginTop: 12 }}>and agrees when</h2>
          {(draft.compare ?? []).map((field, i) => (
            <FieldRow
              key={i}
              fault={faultAt(wrong, `compare[${i}]`)}
              draft={draft}
              at={i}
              field={field}
              left={left}
              right={right}
              change={(next) =>
                setDraft((d) => ({ ...d, compare: (d.compare ?? []).map((f, j) => (j === i ? next : f)) }))
              }
              remove={() => set({ compare: (draft.compare ?? []).filter((_, j) => j !== i) })}
            />
          ))}
          <Button
            type="text"
            size="small"
            onClick={() => set({ compare: [...(draft.compare ?? []), { left: '', right: '' }] })}
          >
            + compared field
          </Button>
          {!draft.currency && (draft.amounts?.length || draft.compare?.some((f) => f.as === 'decimal')) && (
            <Button type="text" size="small" onClick={() => set({ currency: { left: '', right: '' } })}>
              + currency of the amounts
            </Button>
          )}
          {(draft.compare ?? []).length === 0 && (
            <p className="dim" style={{ margin: 0 }}>
              Nothing is compared yet: records match on the key only.
            </p>
          )}
          {draft.currency && (
            <>
              <h2 style={{ marginTop: 12 }}>and amounts are balanced apart by</h2>
              <PairRow
                what="currency"
                part={draft.currency}
                fault={faultAt(wrong, 'currency')}
                draft={draft}
                left={left}
                right={right}
                change={(currency) => set({ currency })}
                remove={() => set({ currency: undefined })}
              />
            </>
          )}
          <Rules draft={draft} change={(to) => setDraft((d) => ({ ...d, ...to(d) }))} />
        </div>
        <SetPanel
          side="right"
          sets={sets.data}
          set={right}
          name={draft.right}
          choose={(name) => set({ right: name })}
          used={draft.key.map((k) => k.right ?? k.left)}
        />
      </section>
      {draft.left && draft.right && <Proposals draft={draft} take={(key) => set({ key })} />}
      <div style={{ minHeight: 30 }}>{counting.job && <JobBar job={counting.job} />}</div>
      {counting.counts && (
        <div
          aria-live="polite"
          aria-busy={counting.busy}
          style={{ opacity: counting.busy ? 0.6 : 1 }}
          data-testid="counts"
          data-asked={JSON.stringify(counting.counted)}
        >
          <p className="say" data-testid="words">
            {counting.counts.sentence}
          </p>
          {counting.counts.warnings.map((w) => (
            <p key={w} className="missed" role="alert">
              {w}
            </p>
          ))}
          <Mixed summary={counting.counts.summary} />
          <Trays summary={counting.counts.summary} />
          {remedied && !counting.busy && JSON.stringify(draft) === JSON.stringify(remedied.draft) && (
            <Beside before={remedied.before} after={counting.counts} what={remedied.what} />
          )}
          <Diagnose draft={draft} apply={(cause: Cause) => cause.applied && apply(cause.applied, cause.remedy ?? '')} />
          <Comparisons
            counted={counting.counted ?? draft}
            look={look}
            setLook={setLook}
            counts={counting.counts}
            before={counting.before}
            columns={[left?.snapshot.columns ?? [], right?.snapshot.columns ?? []]}
            unsaved={dirty || !saved.name}
          />
          <div className="two">
            <Causes counts={counting.counts} />
            <Repeated repeated={counting.counts.repeated} />
          </div>
        </div>
      )}
      {saved.name && <ChainPicture sieve={saved.name} />}
      {!counting.counts && !counting.error && !complete(draft) && (
        <p className="panel empty">
          Choose both record sets and a pair of columns; the counts of every comparison appear here as you go.
        </p>
      )}
    </>
  );
}

/** The count board, the flow picture and the rows of the comparison that is chosen on them. */
function Comparisons(p: {
  counted: Definition; // of which the counts are, so that its rows are at hand
  look: Look;
  setLook: (change: (look: Look) => Look) => void;
  counts: Counts;
  before?: Counts;
  columns: [string[], string[]];
  unsaved: boolean;
}) {
  const { look, counted: definition } = p;
  const whole = useWhole(definition, look.align);
  const choose = (to: Partial<Look>) => p.setLook((l) => turned(l, to));
  const change = (part: Partial<Look>) => p.setLook((l) => ({ ...l, ...part }));
  const sets = [definition.left, definition.right] as [string, string];
  const names: [string, string] = sets[0] === sets[1] ? [`${sets[0]} (left)`, `${sets[1]} (right)`] : sets;
  const counted = [...p.counts.summary.comparisons, ...(whole.whole?.counts ?? [])];
  const ask = { definition, look };
  const unfit = wholes.includes(look.comparison) && (whole.whole?.misfits.length ?? 0) > 0;
  return (
    <>
      <div className="bench">
        <div>
          <Board counts={p.counts} before={p.before} wholes={whole.whole?.counts} chosen={look} choose={choose} />
          <div className="panel" data-testid="wholes">
            <AlignChoice
              align={look.align ?? {}}
              left={p.columns[0]}
              right={p.columns[1]}
              suggested={whole.whole?.suggested ?? []}
              change={(align) => change({ align })}
            />
            {whole.whole?.misfits.map((m) => (
              <p key={m} className="missed" style={{ margin: '4px 0 0' }}>
                {m}
              </p>
            ))}
            <Fault error={whole.error} />
          </div>
        </div>
        <FlowPicture
          summary={p.counts.summary}
          look={look}
          count={counted.find((c) => c.comparison === look.comparison)}
          names={names}
          choose={choose}
        />
      </div>
      {look.comparison === 'separate' && !look.tray && !look.dropped ? (
        <Apart key={JSON.stringify(definition)} ask={ask} sets={names} keep={(kept) => change({ kept })} />
      ) : (
        !unfit && (
          <RowsPanel
            ask={ask}
            change={change}
            title={
              <h2 style={{ margin: 0 }}>
                {look.tray ?? look.comparison} {look.dropped && <small>dropped of the {look.side}</small>}
              </h2>
            }
            acts={
              <>
                {look.comparison === 'by-position' && (
                  <Button
                    size="small"
                    aria-pressed={look.fill ?? false}
                    onClick={() => change({ fill: look.fill ? undefined : true })}
                  >
                    Fill the shorter side
                  </Button>
                )}
                <SaveRows
                  sieve={definition.name}
                  look={look}
                  disabled={
                    p.unsaved
                      ? 'Save the sieve first: a record set is made of what it finds, and made again when that changes.'
                      : undefined
                  }
                />
              </>
            }
          />
        )
      )}
    </>
  );
}

function Sentence({ draft, counts }: { draft: Definition; counts?: Counts }) {
  if (counts) return <>{counts.summary.verdict}</>;
  if (!draft.left || !draft.right) return <>Left is what should be there, right is what is held against it.</>;
  return (
    <>
      Every <b className="l">{draft.left}</b> record against every <b className="r">{draft.right}</b> record.
    </>
  );
}

function SetPanel(p: {
  side: 'left' | 'right';
  sets?: SetView[];
  set?: SetView;
  name: string;
  choose: (name: string) => void;
  used: string[];
}) {
  return (
    <div className={`panel ${p.side}`}>
      <Select
        aria-label={`${p.side} record set`}
        className={p.side}
        style={{ width: '100%' }}
        placeholder={`${p.side} record set`}
        showSearch
        value={p.name || undefined}
        onChange={p.choose}
        options={p.sets?.map((s) => ({ value: s.name, label: s.name }))}
        notFoundContent="No record sets; load one first"
      />
      {p.set && (
        <>
          <p className="dim" style={{ margin: '6px 0 0' }}>
            {count(p.set.snapshot.records)} records · snapshot {p.set.snapshot.number}
          </p>
          <ul className="columns">
            {p.set.snapshot.columns.map((c) => (
              <li key={c} className={p.used.includes(c) ? 'key' : undefined}>
                <span>{c}</span>
                {p.used.includes(c) && <span className="dim">key</span>}
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}
