import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Drawer, Table } from 'antd';
import { useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import { answer, api, type Shared as SharedView } from '../api/client';
import { Balances } from '../parts/Balances';
import { Carried } from '../parts/Carried';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';
import { More } from '../parts/More';
import { Glyph, Mark } from '../parts/Glyph';
import { HandOver } from '../parts/HandOver';
import { EntryName } from '../parts/EntryName';
import { Trays } from '../parts/Trays';
import { Aligned } from '../report/Aligned';
import { columnsOf } from '../report/columns';
import { Search } from '../report/Filters';
import { changes, changeWords } from '../report/query';

/** A report as a link for others shows it: to be read, and nothing else. */
export function Shared() {
  const code = useParams().code ?? '';
  const head = useQuery({
    queryKey: ['shared', code],
    retry: false,
    queryFn: async () => (await answer(api.GET('/api/v1/shared/{code}', { params: { path: { code } } }))).data,
  });
  return (
    <main className="alone">
      <Fault error={head.error} />
      {head.data && <ReportOf key={code} code={code} shared={head.data} />}
    </main>
  );
}

function ReportOf({ code, shared }: { code: string; shared: SharedView }) {
  const { run } = shared;
  const [params, setParams] = useSearchParams();
  const [currency, setCurrency] = useState(run.summary.balance[0]?.currency);
  const tray = params.get('tray') ?? 'all';
  const search = params.get('search') ?? '';
  const id = params.get('entry') ?? '';
  const go = (part: Record<string, string>) =>
    setParams((now) => {
      const next = new URLSearchParams({ ...Object.fromEntries(now), ...part });
      for (const [name, value] of [...next]) if (!value) next.delete(name);
      return next;
    });
  const query = { tray: tray === 'all' ? undefined : tray, search: search || undefined };
  const entries = useInfiniteQuery({
    queryKey: ['shared-entries', code, query],
    initialPageParam: '',
    queryFn: async ({ pageParam }) =>
      (
        await answer(
          api.GET('/api/v1/shared/{code}/entries', {
            params: { path: { code }, query: { ...query, after: pageParam || undefined, limit: 50 } },
          }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  const entry = useQuery({
    queryKey: ['shared-entry', code, id],
    enabled: id !== '',
    queryFn: async () =>
      (await answer(api.GET('/api/v1/shared/{code}/entries/{entry}', { params: { path: { code, entry: id } } }))).data,
  });
  const rows = entries.data?.pages.flatMap((p) => p.entries) ?? [];
  const [left, right] = run.sides;
  return (
    <>
      <div className="title">
        <div>
          <h1>{run.summary.verdict}</h1>
          <p className="say">
            {run.sieve} · run {run.number} · {when(run.finished)} · <span className="l">{left.set}</span> against{' '}
            <span className="r">{right.set}</span> ·{' '}
            {run.summary.accounted ? 'every record accounted for ✓' : 'THE BALANCE DOES NOT CLOSE'}
            <Carried run={run} />
          </p>
          <details className="say">
            <summary>What pairs with what</summary>
            {run.sentence}
          </details>
        </div>
        <div className="acts">
          <HandOver report what="Hand it over" at={`/api/v1/shared/${code}/export`} />
        </div>
      </div>
      <p className={`signoff ${shared.signOff.state}`}>{shared.signOff.says}</p>
      {run.since && (
        <p className="since">
          <span className="dim">Since run {run.since.number}</span>
          {changes.map((c) => (
            <span key={c} className={`mark ${c}`}>
              <b>{count(run.since?.counts[c] ?? 0)}</b> {changeWords[c]}
            </span>
          ))}
        </p>
      )}
      <Trays
        summary={run.summary}
        currency={currency}
        chosen={tray}
        choose={(to) => go({ tray: to === tray ? '' : to })}
      />
      <Balances summary={run.summary} left={left.set} right={right.set} currency={currency} choose={setCurrency} />
      <section className="panel">
        <div className="title" style={{ alignItems: 'center', marginBottom: 6 }}>
          <h2 style={{ margin: 0 }}>
            {tray === 'all' ? 'exceptions' : tray}{' '}
            <small>{entries.data?.pages[0] && count(entries.data.pages[0].total)}</small>
          </h2>
          <Search value={search} tell={(text) => go({ search: text })} />
        </div>
        <Fault error={entries.error} />
        <Table
          size="small"
          rowKey="id"
          pagination={false}
          loading={entries.isPending && !entries.error}
          dataSource={rows}
          columns={columnsOf(run, tray, (e) => go({ entry: e.id }))}
          scroll={{ x: 'max-content' }}
          locale={{ emptyText: entries.data ? 'Nothing here is of this kind.' : ' ' }}
        />
        <More list={entries} />
      </section>
      <p className="dim">
        <Mark /> Twin Sieve shows you {shared.says} by a link that works until {when(shared.ends)}.
      </p>
      <Drawer
        open={id !== ''}
        onClose={() => go({ entry: '' })}
        size={660}
        title={
          entry.data && (
            <span style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
              <Glyph tray={entry.data.tray} />
              {entry.data.tray} <EntryName entry={entry.data} />
            </span>
          )
        }
      >
        <Fault error={entry.error} />
        {entry.data && <Aligned run={run} entry={entry.data} traced={false} />}
      </Drawer>
    </>
  );
}
