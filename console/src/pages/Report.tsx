import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Button, Table } from 'antd';
import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { answer, api, type Entry, type Run } from '../api/client';
import { useRun } from '../api/queries';
import { Balances } from '../parts/Balances';
import { Carried } from '../parts/Carried';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';
import { Loaded } from '../parts/Loaded';
import { More } from '../parts/More';
import { Glyph } from '../parts/Glyph';
import { HandOver } from '../parts/HandOver';
import { HeldLines } from '../parts/HeldLines';
import { Repeated } from '../parts/Repeated';
import { Trays } from '../parts/Trays';
import { useMay, useMe } from '../api/people';
import { useLive } from '../api/work';
import { ByHand, type Chosen } from '../report/ByHand';
import { Filters, Search } from '../report/Filters';
import { columnsOf } from '../report/columns';
import { addressOf, changeWords, choosing, exceptional, queryOf } from '../report/query';
import { Share } from '../report/Share';
import { SignOff, useSignOff } from '../report/SignOff';
import { SinceBar } from '../report/SinceBar';
import { WorkBar } from '../report/WorkBar';
import { WhyNot } from '../report/WhyNot';
import { EntryDrawer } from './EntryDrawer';

export function Report() {
  const run = useRun(Number(useParams().run));
  return <Loaded of={run}>{(run) => <ReportOf run={run} />}</Loaded>;
}

function ReportOf({ run }: { run: Run }) {
  // What is looked at stands in the address, so that it can be sent to somebody, and the browser's back button works.
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const [left, right] = run.sides;
  const firstTray =
    run.summary.trays.find((t) => t.tray !== 'matched' && t.entries > 0)?.tray ??
    (left.rejects + right.rejects > 0 ? 'reject' : 'matched');
  const tray = params.get('tray') ?? firstTray;
  const go = (part: Record<string, string>) =>
    setParams((now) => {
      const next = new URLSearchParams({ ...Object.fromEntries(now), ...part });
      for (const [name, value] of [...next]) if (!value) next.delete(name);
      return next;
    });
  const [picked, setPicked] = useState<Entry[]>([]);
  // What is chosen while a change is under way is not what it was made for.
  const drop = (done: Entry[]) => setPicked((now) => now.filter((e) => !done.some((d) => d.id === e.id)));
  const [currency, setCurrency] = useState(run.summary.balance[0]?.currency);
  const chosen: Chosen = {
    left: picked.filter((e) => byHand.includes(e.tray) && e.side === 'left').map(numberOf),
    right: picked.filter((e) => byHand.includes(e.tray) && e.side === 'right').map(numberOf),
  };
  const me = useMe();
  const told = useLive(run.id, me.data?.name);
  const signed = useSignOff(run.id).data?.state === 'signed';
  const s = run.summary;
  const lonely = s.trays.some((t) => ['missing', 'orphaned', 'unkeyed'].includes(t.tray) && t.entries > 0);
  const verdict = s.verdict.match(/^(.*?\.) (.*)$/);
  return (
    <>
      <div className="title">
        <div>
          <h1 data-testid="verdict">
            {verdict?.[1] ?? s.verdict}
            <br />
            {verdict?.[2]}
          </h1>
          <p className="say">
            <Link to={`/sieves/of/${encodeURIComponent(run.sieve)}`}>{run.sieve}</Link> · run {run.number} ·{' '}
            {when(run.finished)}
            {run.by && ` by ${run.by}`} ·{' '}
            <span className="l">
              {left.set} snapshot {left.snapshot}
            </span>{' '}
            against{' '}
            <span className="r">
              {right.set} snapshot {right.snapshot}
            </span>{' '}
            · {s.accounted ? 'every record accounted for ✓' : 'THE BALANCE DOES NOT CLOSE'}
            <Carried run={run} />
            {s.crosswalk && s.crosswalk.version > 0 && (
              <>
                {' '}
                ·{' '}
                <Link to={`/sieves/of/${encodeURIComponent(run.sieve)}/crosswalk`}>
                  crosswalk version {s.crosswalk.version}
                </Link>
                {s.crosswalk.hand > 0 && `, ${count(s.crosswalk.hand)} paired by hand`}
                {s.crosswalk.stale + s.crosswalk.staleHand > 0 &&
                  `, ${count(s.crosswalk.stale + s.crosswalk.staleHand)} of its entries say nothing here any more`}
              </>
            )}
          </p>
          <details className="say">
            <summary>What pairs with what</summary>
            {run.sentence}
            <br />
            {run.sides.map((side, i) => (
              <span key={i} className={i === 0 ? 'l' : 'r'}>
                {side.set}, snapshot {side.snapshot} from {side.source}, content{' '}
                <span className="mono" title={side.hash}>
                  {side.hash.slice(0, 16)}
                </span>
                <br />
              </span>
            ))}
            Version {run.version} of the sieve.
          </details>
        </div>
        <div className="acts">
          {lonely && <WhyNot run={run} trace={(record) => go({ entry: record })} />}
          {lonely && (
            <Button onClick={() => void navigate(`/reports/${run.id}/near`)} role="link">
              Near matches
            </Button>
          )}
          <Button onClick={() => void navigate(`/reports/${run.id}/rows`)} role="link">
            Rows
          </Button>
          <Share run={run} query={queryOf(params, tray)} />
          <HandOver report what="Hand over the report" at={`/api/v1/runs/${run.id}/export`} />
        </div>
      </div>
      <SinceBar
        run={run}
        chosen={params.get('change') ?? ''}
        choose={(change) => go({ change, tray: change ? 'all' : '' })}
      />
      <SignOff run={run} />
      <p className="told" role="status">
        {told}
      </p>
      <HeldLines held={left.held ?? []} of={left.set} />
      <HeldLines held={right.held ?? []} of={right.set} />
      {s.keys.inOrder > 0 && (
        <p className="say">
          {count(s.keys.inOrder)} {s.keys.inOrder === 1 ? 'key has' : 'keys have'} more than 250,000 possible pairs:
          equal contents were paired first, the rest in content order.
        </p>
      )}
      <Trays
        summary={s}
        currency={currency}
        chosen={tray}
        choose={(chosen) => go({ tray: chosen, ...(exceptional(chosen) ? {} : plain) })}
      />
      <Balances summary={s} left={left.set} right={right.set} currency={currency} choose={setCurrency} />
      {s.keys.repeated.some((n) => n > 0) && <RepeatedOf run={run.id} />}
      {chosen.left.length + chosen.right.length <= 20 && (
        <ByHand run={run} chosen={chosen} clear={() => drop(picked)} />
      )}
      <Entries
        picked={picked}
        pick={setPicked}
        drop={drop}
        run={run}
        tray={tray}
        params={params}
        go={go}
        signed={signed}
      />
      <EntryDrawer run={run} id={params.get('entry') ?? ''} signed={signed} close={() => go({ entry: '' })} />
    </>
  );
}

/** The keys of a run that repeat, once somebody asks for them. */
function RepeatedOf({ run }: { run: number }) {
  const [open, setOpen] = useState(false);
  const repeated = useQuery({
    queryKey: ['repeated', run],
    enabled: open,
    queryFn: async () =>
      (await answer(api.GET('/api/v1/runs/{run}/repeated', { params: { path: { run }, query: { limit: 8 } } }))).data,
  });
  return (
    <details className="say" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>Keys that repeat</summary>
      <Fault error={repeated.error} />
      {repeated.data && <Repeated repeated={repeated.data} />}
    </details>
  );
}

/** The trays whose records can be paired by hand. */
const byHand = ['missing', 'orphaned', 'surplus', 'unkeyed'];

/** What is left out of an address when records are looked at that are no exceptions. */
const plain = Object.fromEntries(choosing.filter((n) => n !== 'tray' && n !== 'search').map((n) => [n, '']));

/** The rows of a tray that is none of exceptions, where they can be sorted and filtered by any column. */
function rowsOf(run: Run, tray: string) {
  const records = run.summary.trays.find((t) => t.tray === tray)?.records ?? [0, 0];
  const side = tray === 'matched' ? {} : { side: records[0] > 0 ? 'left' : 'right' };
  return `/reports/${run.id}/rows?look=${encodeURIComponent(JSON.stringify({ comparison: 'full', tray, ...side }))}`;
}

const numberOf = (e: Entry) => (e.side === 'left' ? e.left?.number : e.right?.number) ?? 0;

function Entries(p: {
  run: Run;
  tray: string;
  params: URLSearchParams;
  go: (part: Record<string, string>) => void;
  picked: Entry[];
  pick: (entries: Entry[]) => void;
  drop: (entries: Entry[]) => void;
  signed: boolean;
}) {
  const { run, tray, params } = p;
  const may = useMay('analyst');
  const navigate = useNavigate();
  const query = queryOf(params, tray);
  const entries = useInfiniteQuery({
    queryKey: ['entries', run.id, query],
    initialPageParam: '',
    queryFn: async ({ pageParam, signal }) =>
      (
        await answer(
          api.GET('/api/v1/runs/{run}/entries', {
            params: { path: { run: run.id }, query: { ...query, after: pageParam || undefined, limit: 50 } },
            signal,
          }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  const rows = entries.data?.pages.flatMap((page) => page.entries) ?? [];
  const total = entries.data?.pages[0]?.total;
  const found = total === undefined ? '' : total < 0 ? `${count(rows.length)} found so far` : count(total);
  const name = tray === 'all' ? 'all trays' : tray;
  const change = params.get('change');
  return (
    <section className="panel" data-asked={`/reports/${run.id}?${addressOf(query)}`}>
      <div className="title" style={{ alignItems: 'center', marginBottom: 6 }}>
        <h2 style={{ margin: 0, display: 'flex', gap: 6 }}>
          {tray !== 'all' && <Glyph tray={tray} />} {name}
          {change && `, ${changeWords[change] ?? change}`}
          <small aria-live="polite">{found}</small>
        </h2>
        <div className="acts">
          {exceptional(tray) && tray !== 'all' && (
            <Button type="text" onClick={() => p.go({ tray: 'all' })}>
              All trays
            </Button>
          )}
          {!exceptional(tray) && (
            <Button type="text" onClick={() => void navigate(rowsOf(run, tray))} role="link">
              Sort and filter them
            </Button>
          )}
          <Search value={params.get('search') ?? ''} tell={(text) => p.go({ search: text })} />
          <HandOver
            report
            what={p.picked.length > 0 ? 'Hand the whole list over' : 'Hand these over'}
            at={`/api/v1/runs/${run.id}/export`}
            filter={addressOf(query)}
          />
        </div>
      </div>
      {exceptional(tray) && <Filters run={run} tray={tray} params={params} go={p.go} />}
      {exceptional(tray) && may && !p.signed && (
        <WorkBar
          key={JSON.stringify(query)}
          run={run}
          query={query}
          total={total}
          seen={entries.data?.pages[0]?.seen ?? 0}
          chosen={p.picked.map((e) => e.id)}
          unseen={entries.data ? p.picked.filter((e) => !rows.some((row) => row.id === e.id)).length : 0}
          clear={() => p.drop(p.picked)}
        />
      )}
      <Fault error={entries.error} />
      <Table
        size="small"
        rowKey="id"
        pagination={false}
        loading={entries.isPending && !entries.error}
        dataSource={rows}
        rowSelection={
          exceptional(tray)
            ? {
                selectedRowKeys: p.picked.map((e) => e.id),
                preserveSelectedRowKeys: true, // what is chosen in other trays stays
                onChange: (_, selected) => p.pick(selected.filter(Boolean)),
                getCheckboxProps: (e) => ({
                  'aria-label': e.side === 'both' ? `choose pair ${e.id}` : `choose ${e.side} record ${numberOf(e)}`,
                }),
              }
            : undefined
        }
        columns={columnsOf(run, tray, (e) => p.go({ entry: e.id }))}
        scroll={{ x: 'max-content' }}
        locale={{
          emptyText: !entries.data
            ? ' ' // it is not known yet, or not known why
            : params.get('search')
              ? 'Nothing here holds all of these words.'
              : choosing.some((n) => n !== 'tray' && params.get(n))
                ? 'Nothing here is of this kind.'
                : `No record of this run is ${name}.`,
        }}
      />
      <More list={entries} />
    </section>
  );
}
