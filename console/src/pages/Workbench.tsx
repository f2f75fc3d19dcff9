import { DeleteOutlined, SwapOutlined } from '@ant-design/icons';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Input, Select } from 'antd';
import { useEffect, useId, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import {
  answer,
  api,
  ProblemError,
  type Counts,
  type Definition,
  type Field,
  type Job,
  type KeyPart,
  type SetView,
  type Sieve,
} from '../api/client';
import { follow } from '../api/jobs';
import { useReadings, useSets } from '../api/queries';
import { CountBoard } from '../parts/CountBoard';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { Trays } from '../parts/Trays';

const empty: Definition = { name: '', left: '', right: '', key: [{ left: '', right: '' }], compare: [] };

/** Loads the sieve named in the address, then shows it; a new one starts empty. */
export function Workbench() {
  const { name } = useParams();
  const sieve = useQuery({
    queryKey: ['sieve', name],
    enabled: name !== undefined,
    staleTime: 0,
    queryFn: async () => {
      const { data, response } = await answer(
        api.GET('/api/v1/sieves/{name}', { params: { path: { name: name ?? '' } } }),
      );
      return { sieve: data, etag: response.headers.get('ETag') ?? '' };
    },
  });
  if (name === undefined) return <Bench key="new" start={empty} etag="" />;
  if (sieve.error) return <Fault error={sieve.error} />;
  if (!sieve.data) return null;
  return <Bench key={name} start={{ compare: [], ...sieve.data.sieve.definition }} etag={sieve.data.etag} />;
}

/** Whether a definition has all that counting it needs. */
const complete = (d: Definition) =>
  d.left !== '' &&
  d.right !== '' &&
  d.key.length > 0 &&
  d.key.every((k) => k.left && k.right) &&
  (d.compare ?? []).every((f) => f.left && f.right);

function Bench({ start, etag: firstTag }: { start: Definition; etag: string }) {
  const [saved, setSaved] = useState({ text: JSON.stringify(start), name: start.name, etag: firstTag });
  const [draft, setDraft] = useState<Definition>(start);
  const [error, setError] = useState<unknown>();
  const [running, setRunning] = useState<Job>();
  const sets = useSets();
  const queries = useQueryClient();
  const go = useNavigate();
  const counting = useCounts(draft);
  const set = (part: Partial<Definition>) => setDraft((d) => ({ ...d, ...part }));
  const left = sets.data?.find((s) => s.name === draft.left);
  const right = sets.data?.find((s) => s.name === draft.right);
  const dirty = JSON.stringify(draft) !== saved.text;

  async function save(): Promise<boolean> {
    setError(undefined);
    try {
      const body = draft;
      const { data, response } = saved.name
        ? await answer<Sieve>(
            api.PUT('/api/v1/sieves/{name}', {
              params: { path: { name: saved.name }, header: { 'If-Match': saved.etag } },
              body,
            }),
          )
        : await answer<Sieve>(api.POST('/api/v1/sieves', { body }));
      setSaved({ text: JSON.stringify(draft), name: data.definition.name, etag: response.headers.get('ETag') ?? '' });
      await queries.invalidateQueries({ queryKey: ['sieves'] });
      return true;
    } catch (wrong) {
      setError(wrong);
      return false;
    }
  }

  async function run() {
    if ((dirty || !saved.name) && !(await save())) return;
    try {
      const { data: job } = await answer(api.POST('/api/v1/runs', { body: { sieve: draft.name } }));
      setRunning(job);
      const end = await follow(job, setRunning);
      await queries.invalidateQueries({ queryKey: ['runs'] });
      void go(`/reports/${end.result?.run}`);
    } catch (wrong) {
      setError(wrong);
    } finally {
      setRunning(undefined);
    }
  }

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
          <p className="say" data-testid="sentence">
            <Sentence draft={draft} counts={counting.counts} />
          </p>
        </div>
        <div className="acts">
          <Button icon={<SwapOutlined />} onClick={() => setDraft(swapped)}>
            Swap sides
          </Button>
          {saved.name && <Button href={`/api/v1/sieves/${encodeURIComponent(saved.name)}/file`}>Sieve file</Button>}
          <Button onClick={() => void save()} disabled={!ready || !dirty}>
            Save
          </Button>
          <Button type="primary" onClick={() => void run()} disabled={!ready || !!running}>
            Run
          </Button>
        </div>
      </div>
      {running && <JobBar job={running} />}
      <Fault error={error} />
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
            <KeyRow
              key={i}
              part={part}
              left={left}
              right={right}
              change={(next) => set({ key: draft.key.map((k, j) => (j === i ? next : k)) })}
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
              field={field}
              left={left}
              right={right}
              change={(next) => set({ compare: (draft.compare ?? []).map((f, j) => (j === i ? next : f)) })}
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
          {(draft.compare ?? []).length === 0 && (
            <p className="dim" style={{ margin: 0 }}>
              Nothing is compared yet: records match on the key only.
            </p>
          )}
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
      <Fault error={counting.error} />
      <div style={{ minHeight: 30 }}>{counting.job && <JobBar job={counting.job} />}</div>
      {counting.counts && (
        <div
          aria-live="polite"
          aria-busy={counting.busy}
          style={{ opacity: counting.busy ? 0.6 : 1 }}
          data-testid="counts"
        >
          <Trays summary={counting.counts.summary} />
          <div className="two">
            <CountBoard summary={counting.counts.summary} />
            <Causes counts={counting.counts} />
          </div>
        </div>
      )}
      {!counting.counts && !counting.error && !complete(draft) && (
        <p className="panel empty">
          Choose both record sets and a pair of columns; the counts of every comparison appear here as you go.
        </p>
      )}
    </>
  );
}

/** Counts a definition after each change; an earlier count of the same bench is given up. */
function useCounts(draft: Definition) {
  const bench = useId();
  const [state, setState] = useState<{ counts?: Counts; error?: unknown; job?: Job; busy: boolean }>({ busy: false });
  const text = JSON.stringify({ ...draft, name: '' });
  const [page] = useState(() => String(Math.random())); // so that two open pages do not give up each other's counts
  useEffect(() => {
    const definition = JSON.parse(text) as Definition;
    if (!complete(definition)) return;
    const given = new AbortController();
    const timer = setTimeout(async () => {
      setState((s) => ({ ...s, busy: true }));
      try {
        const { data: job } = await answer(
          api.POST('/api/v1/counts', { body: { definition, draft: bench + page }, signal: given.signal }),
        );
        const shownFrom = Date.now() + 400; // a bar that flashes by is noise
        const end = await follow(
          job,
          (now) => Date.now() > shownFrom && setState((s) => ({ ...s, job: now })),
          given.signal,
        );
        setState({ counts: end.result?.counts, busy: false });
      } catch (error) {
        if (given.signal.aborted) return;
        if (error instanceof ProblemError && error.problem.type === '/problems/cancelled') return;
        setState({ error, busy: false });
      }
    }, 200);
    return () => {
      clearTimeout(timer);
      given.abort();
    };
  }, [text, bench, page]);
  return complete(draft) ? state : { busy: false };
}

function swapped(d: Definition): Definition {
  const turn = (text: string) =>
    text.startsWith('left ') ? `right ${text.slice(5)}` : text.startsWith('right ') ? `left ${text.slice(6)}` : text;
  const part = <T extends KeyPart>(p: T): T => ({
    ...p,
    left: p.right ?? p.left,
    right: p.left,
    ...(p.readings && { readings: p.readings.map(turn) }),
  });
  return {
    ...d,
    left: d.right,
    right: d.left,
    key: d.key.map(part),
    compare: (d.compare ?? []).map(part),
    ...(d.amounts && { amounts: d.amounts.map(part) }),
  };
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

function ColumnSelect(p: {
  side: 'left' | 'right';
  set?: SetView;
  value: string;
  choose: (name: string) => void;
  what: string;
}) {
  return (
    <Select
      aria-label={`${p.side} column of the ${p.what}`}
      className={p.side}
      showSearch
      placeholder={`${p.side} column`}
      value={p.value || undefined}
      onChange={p.choose}
      options={p.set?.snapshot.columns.map((c) => ({ value: c, label: c }))}
      popupMatchSelectWidth={false}
      notFoundContent={`Choose the ${p.side} record set first`}
    />
  );
}

const layouts = ['YYYY-MM-DD', 'DD.MM.YYYY', 'MM/DD/YYYY', 'D/M/YYYY'];

/** A chain of readings, chosen or typed. */
function Readings(p: { value?: string[]; change: (readings?: string[]) => void; what: string }) {
  const readings = useReadings();
  const choices = (readings.data ?? []).flatMap((r) =>
    r.argument
      ? ['', 'left ', 'right '].flatMap((side) =>
          layouts.map((l) => ({ value: `${side}${r.name} ${l}`, title: r.says })),
        )
      : [{ value: r.name, title: r.says }],
  );
  return (
    <Select
      mode="tags"
      aria-label={`readings of the ${p.what}`}
      placeholder="read as it is"
      value={p.value ?? []}
      onChange={(next: string[]) => p.change(next.length ? next : undefined)}
      options={choices.map((c) => ({ value: c.value, label: c.value, title: c.title }))}
      popupMatchSelectWidth={false}
    />
  );
}

const without = <T extends object>(value: T, name: keyof T, next: unknown): T => {
  const copy = { ...value, [name]: next };
  if (next === undefined || next === '') delete copy[name];
  return copy;
};

function KeyRow(p: {
  part: KeyPart;
  left?: SetView;
  right?: SetView;
  change: (part: KeyPart) => void;
  remove?: () => void;
}) {
  return (
    <div className="pair" role="group" aria-label="key pair">
      <ColumnSelect
        side="left"
        set={p.left}
        value={p.part.left}
        choose={(left) => p.change({ ...p.part, left })}
        what="key pair"
      />
      <Readings value={p.part.readings} change={(r) => p.change(without(p.part, 'readings', r))} what="key pair" />
      <ColumnSelect
        side="right"
        set={p.right}
        value={p.part.right ?? p.part.left}
        choose={(right) => p.change({ ...p.part, right })}
        what="key pair"
      />
      <Button
        type="text"
        size="small"
        icon={<DeleteOutlined />}
        aria-label="Remove the key pair"
        onClick={p.remove}
        disabled={!p.remove}
      />
    </div>
  );
}

function FieldRow(p: {
  field: Field;
  left?: SetView;
  right?: SetView;
  change: (field: Field) => void;
  remove: () => void;
}) {
  const kind = p.field.as ?? 'text';
  return (
    <div className="pair compare" role="group" aria-label="compared field">
      <ColumnSelect
        side="left"
        set={p.left}
        value={p.field.left}
        choose={(left) => p.change({ ...p.field, left })}
        what="compared field"
      />
      <Select
        aria-label="compared as"
        showSearch
        value={kind}
        onChange={(as) =>
          p.change(
            without(
              without(p.field, 'as', as === 'text' ? undefined : as),
              'within',
              as === 'text' ? undefined : p.field.within,
            ),
          )
        }
        options={['text', 'decimal', 'date'].map((value) => ({ value, label: value }))}
      />
      <Input
        aria-label={kind === 'date' ? 'within days' : 'within'}
        placeholder={kind === 'date' ? 'days' : 'within'}
        disabled={kind === 'text'}
        value={p.field.within ?? ''}
        onChange={(event) => p.change(without(p.field, 'within', event.target.value))}
      />
      <Readings
        value={p.field.readings}
        change={(r) => p.change(without(p.field, 'readings', r))}
        what="compared field"
      />
      <ColumnSelect
        side="right"
        set={p.right}
        value={p.field.right ?? p.field.left}
        choose={(right) => p.change({ ...p.field, right })}
        what="compared field"
      />
      <Button
        type="text"
        size="small"
        icon={<DeleteOutlined />}
        aria-label="Remove the compared field"
        onClick={p.remove}
      />
    </div>
  );
}

/** Why records have no key, and which compared values are not what they should be. */
function Causes({ counts }: { counts: Counts }) {
  const rows = (['unkeyed', 'values'] as const).flatMap((what) =>
    counts.sides.flatMap((side, s) =>
      (counts.summary[what][s] ?? [])
        .filter((c) => c.blank + c.emptied + c.unreadable > 0)
        .map((c) => ({ ...c, what: what === 'unkeyed' ? 'leaves records unkeyed' : 'compared', set: side.set, s })),
    ),
  );
  return (
    <div className="panel">
      <h2>
        Blank and unreadable <small>by pair of columns</small>
      </h2>
      {rows.length === 0 && <p className="dim">Every key part and compared value is there and can be read.</p>}
      {rows.length > 0 && (
        <table className="plain">
          <thead>
            <tr>
              <th>columns</th>
              <th>side</th>
              <th className="n">blank</th>
              <th className="n">emptied</th>
              <th className="n">unreadable</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((c, i) => (
              <tr key={i}>
                <td>
                  {c.name} <span className="dim">{c.what}</span>
                </td>
                <td className={c.s === 0 ? 'l' : 'r'}>{c.set}</td>
                <td className="n">{count(c.blank)}</td>
                <td className="n">{count(c.emptied)}</td>
                <td className="n">{count(c.unreadable)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
