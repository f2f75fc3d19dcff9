import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Button, Input, Table, type TableColumnType } from 'antd';
import { useState } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { answer, api, type Entry, type Run } from '../api/client';
import { useRun } from '../api/queries';
import { Bridge } from '../parts/Bridge';
import { Cell } from '../parts/Cell';
import { Fault } from '../parts/Fault';
import { change, count, when } from '../parts/format';
import { Glyph } from '../parts/Glyph';
import { Key } from '../parts/Key';
import { HandOver } from '../parts/HandOver';
import { HeldLines } from '../parts/HeldLines';
import { Repeated } from '../parts/Repeated';
import { Total } from '../parts/Total';
import { Trays } from '../parts/Trays';
import { ByHand, type Chosen } from '../report/ByHand';
import { WhyNot } from '../report/WhyNot';
import { EntryDrawer } from './EntryDrawer';

export function Report() {
  const run = useRun(Number(useParams().run));
  if (run.error) return <Fault error={run.error} />;
  if (!run.data) return null;
  return <ReportOf run={run.data} />;
}

function ReportOf({ run }: { run: Run }) {
  // What is looked at stands in the address, so that it can be sent to somebody, and the browser's back button works.
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const firstTray = run.summary.trays.find((t) => t.tray !== 'matched' && t.entries > 0)?.tray ?? 'matched';
  const tray = params.get('tray') ?? firstTray;
  const search = params.get('search') ?? '';
  const go = (part: Record<string, string>) =>
    setParams((now) => {
      const next = new URLSearchParams({ ...Object.fromEntries(now), ...part });
      for (const [name, value] of [...next]) if (!value) next.delete(name);
      return next;
    });
  const [chosen, setChosen] = useState<Chosen>({ left: [], right: [] });
  const s = run.summary;
  const lonely = s.trays.some((t) => ['missing', 'orphaned', 'unkeyed'].includes(t.tray) && t.entries > 0);
  const [left, right] = run.sides;
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
            {when(run.finished)} ·{' '}
            <span className="l">
              {left.set} snapshot {left.snapshot}
            </span>{' '}
            against{' '}
            <span className="r">
              {right.set} snapshot {right.snapshot}
            </span>{' '}
            · {s.accounted ? 'every record accounted for ✓' : 'THE BALANCE DOES NOT CLOSE'}
            {left.rejects + right.rejects > 0 &&
              ` · rejected lines: ${count(left.rejects)} left, ${count(right.rejects)} right`}
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
          <HandOver what="All exceptions" at={`/api/v1/runs/${run.id}/export`} />
        </div>
      </div>
      <HeldLines held={left.held ?? []} of={left.set} />
      <HeldLines held={right.held ?? []} of={right.set} />
      {s.keys.inOrder > 0 && (
        <p className="say">
          {count(s.keys.inOrder)} {s.keys.inOrder === 1 ? 'key has' : 'keys have'} more than 250,000 possible pairs:
          equal contents were paired first, the rest in content order.
        </p>
      )}
      <Trays summary={s} chosen={tray} choose={(chosen) => go({ tray: chosen })} />
      {s.balance.map((b) => (
        <Bridge key={b.name} balance={b} left={left.set} right={right.set} />
      ))}
      {s.keys.repeated.some((n) => n > 0) && <RepeatedOf run={run.id} />}
      <ByHand run={run} chosen={chosen} clear={() => setChosen({ left: [], right: [] })} />
      <Entries
        chosen={chosen}
        choose={setChosen}
        run={run}
        tray={tray}
        search={search}
        setSearch={(text) => go({ search: text })}
        open={(e) => go({ entry: e.id })}
      />
      <EntryDrawer run={run} id={params.get('entry') ?? ''} close={() => go({ entry: '' })} />
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

type EntriesProps = {
  run: Run;
  tray: string;
  search: string;
  setSearch: (text: string) => void;
  open: (entry: Entry) => void;
  chosen: Chosen;
  choose: (chosen: Chosen) => void;
};

/** The trays whose records can be paired by hand. */
const byHand = ['missing', 'orphaned', 'surplus', 'unkeyed'];

const numberOf = (e: Entry) => (e.side === 'left' ? e.left?.number : e.right?.number) ?? 0;

function Entries({ run, tray, search, setSearch, open, chosen, choose }: EntriesProps) {
  const [typed, setTyped] = useState(search);
  const [shown, setShown] = useState(search);
  if (shown !== search) {
    // The address has changed, by a search or by the browser's back button.
    setShown(search);
    setTyped(search);
  }
  const entries = useInfiniteQuery({
    queryKey: ['entries', run.id, tray, search],
    initialPageParam: '',
    placeholderData: keepPreviousData,
    queryFn: async ({ pageParam, signal }) =>
      (
        await answer(
          api.GET('/api/v1/runs/{run}/entries', {
            params: {
              path: { run: run.id },
              query: { tray: tray as 'matched', search: search || undefined, after: pageParam || undefined, limit: 50 },
            },
            signal,
          }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  const rows = entries.data?.pages.flatMap((p) => p.entries) ?? [];
  const total = entries.data?.pages[0]?.total ?? 0;
  const found = total < 0 ? `${count(rows.length)} found so far` : count(total);
  const filter = new URLSearchParams({ tray, ...(search && { search }) });
  return (
    <section className="panel">
      <div className="title" style={{ alignItems: 'center', marginBottom: 6 }}>
        <h2 style={{ margin: 0, display: 'flex', gap: 6 }}>
          <Glyph tray={tray} /> {tray}
          <small aria-live="polite">{found}</small>
        </h2>
        <div className="acts">
          <Input.Search
            aria-label="Search in the cells of both sides"
            placeholder="search in the cells of both sides"
            allowClear
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            onSearch={setSearch}
            style={{ width: 300 }}
          />
          <HandOver what="Hand these over" at={`/api/v1/runs/${run.id}/export`} filter={filter} />
        </div>
      </div>
      <Fault error={entries.error} />
      <Table
        size="small"
        rowKey="id"
        pagination={false}
        loading={entries.isPending && !entries.error}
        dataSource={rows}
        rowSelection={
          byHand.includes(tray)
            ? {
                selectedRowKeys: rows
                  .filter((e) => chosen[e.side as 'left' | 'right']?.includes(numberOf(e)))
                  .map((e) => e.id),
                onChange: (_, selected) => {
                  // What is chosen in other trays stays.
                  const next = { left: [...chosen.left], right: [...chosen.right] };
                  for (const side of ['left', 'right'] as const) {
                    const here = rows.filter((e) => e.side === side).map(numberOf);
                    const now = selected.filter((e) => e?.side === side).map(numberOf);
                    next[side] = [...next[side].filter((n) => !here.includes(n)), ...now];
                  }
                  choose(next);
                },
                getCheckboxProps: (e) => ({ 'aria-label': `choose ${e.side} record ${numberOf(e)}` }),
              }
            : undefined
        }
        columns={columnsOf(run, tray, open)}
        scroll={{ x: 'max-content' }}
        locale={{ emptyText: search ? 'Nothing here holds all of these words.' : `No record of this run is ${tray}.` }}
      />
      {entries.hasNextPage && (
        <Button
          style={{ marginTop: 8 }}
          loading={entries.isFetchingNextPage}
          onClick={() => void entries.fetchNextPage()}
        >
          Show more
        </Button>
      )}
    </section>
  );
}

const pairs = ['matched', 'differing'];

/** The columns of the entries: the key, each compared field of both sides with its difference, and why it is there. */
function columnsOf(run: Run, tray: string, open: (entry: Entry) => void): TableColumnType<Entry>[] {
  const fields = run.definition.compare ?? [];
  const [left, right] = run.sides;
  const list: TableColumnType<Entry>[] = [
    { title: '', key: 'glyph', width: 28, render: (_, e) => <Glyph tray={e.tray} /> },
    {
      title: 'key',
      key: 'key',
      render: (_, e) => (
        <button type="button" className="link" onClick={() => open(e)} data-entry={e.id}>
          <Key parts={e.key} />
        </button>
      ),
    },
  ];
  const paired = pairs.includes(tray);
  fields.forEach((f, i) => {
    const names = [f.left, f.right ?? f.left];
    const align = f.as === 'decimal' ? ('right' as const) : undefined;
    [left, right].forEach((side, s) => {
      const at = side.columns.indexOf(names[s] ?? '');
      list.push({
        title: names[s],
        key: `${i} ${s}`,
        align,
        onHeaderCell: () => ({ className: s === 0 ? 'l' : 'r' }),
        render: (_, e) => {
          const record = s === 0 ? e.left : e.right;
          const totals = e.group && e.fields?.[i]?.totals;
          if (totals) return <Total totals={totals} side={s} />;
          if (record && (e.group?.records[s] ?? 1) > 1)
            return (
              <>
                <Cell text={record.cells[at]} /> <span className="dim">and others</span>
              </>
            );
          return record ? <Cell text={record.cells[at]} /> : <span>no partner</span>;
        },
        onCell: (e) => {
          if (!(s === 0 ? e.left : e.right)) return { className: 'none' };
          return { className: s === 1 && e.fields?.[i]?.agrees === false ? 'skewed' : 'plain-cell' };
        },
      });
    });
    if (paired && f.as && ['decimal', 'date', 'time'].includes(f.as))
      list.push({
        title: f.as === 'date' ? 'days' : f.as === 'time' ? 'seconds' : 'difference',
        key: `${i} difference`,
        align: 'right',
        render: (_, e) => {
          const d = e.fields?.[i]?.difference;
          return d === undefined ? '' : <span className="mono">{d === '0' ? '0' : change(d)}</span>;
        },
      });
  });
  list.push({ title: 'why', key: 'why', render: (_, e) => <span className="dim">{e.reason}</span> });
  if (tray !== 'matched' && tray !== 'excluded')
    list.push({ title: 'status', key: 'status', render: (_, e) => <span className="chip">{e.status}</span> });
  return list;
}
