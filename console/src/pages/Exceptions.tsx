import { useInfiniteQuery } from '@tanstack/react-query';
import { Select, Table } from 'antd';
import { Link, useSearchParams } from 'react-router';
import { answer, api, type Pending } from '../api/client';
import { useSieves } from '../api/queries';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { amount, count, when } from '../parts/format';
import { More } from '../parts/More';
import { Glyph } from '../parts/Glyph';
import { EntryName } from '../parts/EntryName';
import { changeSays, statusWords } from '../report/query';

const whose = { all: 'all', mine: 'mine', unowned: "nobody's", mentions: 'that mention me' } as const;
type Whose = keyof typeof whose;

/** The exceptions of all sieves that somebody has to do something about. */
export function Exceptions() {
  const [params, setParams] = useSearchParams();
  const of = (params.get('of') ?? 'all') as Whose;
  const sort = (params.get('sort') ?? 'age') as 'age' | 'amount';
  const sieve = params.get('sieve') ?? undefined;
  const sieves = useSieves();
  const go = (name: string, value?: string) =>
    setParams((now) => {
      const next = new URLSearchParams(now);
      if (value) next.set(name, value);
      else next.delete(name);
      return next;
    });
  const list = useInfiniteQuery({
    queryKey: ['pending', of, sort, sieve],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      (
        await answer(
          api.GET('/api/v1/exceptions', { params: { query: { of, sort, sieve, after: pageParam, limit: 50 } } }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  const head = list.data?.pages[0];
  return (
    <>
      <h1>All exceptions</h1>
      <p className="say">What is open or in progress over all sieves, in their newest reports.</p>
      <div className="since" role="group" aria-label="Whose">
        {(Object.keys(whose) as Whose[]).map((w) => (
          <button key={w} type="button" className="mark" aria-pressed={of === w} onClick={() => go('of', w)}>
            <b data-of={w}>{head ? count(head[w]) : '–'}</b> {whose[w]}
          </button>
        ))}
      </div>
      <div className="choices">
        <Choice label="of">
          <Select
            size="small"
            allowClear
            showSearch
            aria-label="sieve"
            placeholder="every sieve"
            style={{ width: 180 }}
            value={sieve}
            onChange={(to?: string) => go('sieve', to)}
            options={sieves.data?.map((s) => ({ value: s.definition.name, label: s.definition.name }))}
          />
        </Choice>
        <Choice label="sorted by">
          <Select
            size="small"
            showSearch
            optionFilterProp="label"
            aria-label="sorted by"
            style={{ width: 150 }}
            value={sort}
            onChange={(to: string) => go('sort', to)}
            options={[
              { value: 'age', label: 'the oldest first' },
              { value: 'amount', label: 'the largest first' },
            ]}
          />
        </Choice>
      </div>
      <Fault error={list.error} />
      <Table
        size="small"
        rowKey={(p: Pending) => p.entry.work?.exception ?? 0}
        pagination={false}
        loading={list.isPending && !list.error}
        dataSource={list.data?.pages.flatMap((p) => p.exceptions)}
        locale={{ emptyText: !head ? ' ' : of === 'mine' ? 'Nothing is yours to do.' : 'Nothing is open.' }}
        scroll={{ x: 'max-content' }}
        columns={[
          { title: '', width: 28, render: (_, p: Pending) => <Glyph tray={p.entry.tray} /> },
          {
            title: 'key',
            render: (_, p: Pending) => (
              <Link to={`/reports/${p.run}?tray=${p.entry.tray}&entry=${p.entry.id}`}>
                <EntryName entry={p.entry} />
              </Link>
            ),
          },
          { title: 'sieve', render: (_, p: Pending) => p.sieve },
          {
            title: 'amount',
            align: 'right',
            render: (_, p: Pending) => (
              <span className="mono">
                {p.entry.work?.amount && amount(p.entry.work.amount, 2)} {p.entry.work?.currency}
              </span>
            ),
          },
          {
            title: 'status',
            render: (_, p: Pending) => (
              <>
                <span className={`chip ${p.entry.status}`}>{statusWords[p.entry.status ?? '']}</span>
                {p.entry.work?.change === 'absent' && (
                  <span className="mark absent" title={changeSays.absent}>
                    absent
                  </span>
                )}
              </>
            ),
          },
          { title: 'owner', render: (_, p: Pending) => p.entry.work?.owner ?? <span className="dim">nobody</span> },
          { title: 'found first', render: (_, p: Pending) => when(p.entry.work?.opened ?? '') },
          { title: 'why', render: (_, p: Pending) => <span className="dim">{p.entry.reason}</span> },
        ]}
      />
      <More list={list} />
    </>
  );
}
