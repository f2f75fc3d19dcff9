import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Button, Select, Table } from 'antd';
import { useSearchParams } from 'react-router';
import { answer, api, type HistoryEvent } from '../api/client';
import { usePeople } from '../api/people';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { More } from '../parts/More';

const kinds = {
  set: 'record sets',
  sieve: 'sieves',
  run: 'runs',
  exception: 'exceptions',
  person: 'people',
  connection: 'connections',
};
type Kind = keyof typeof kinds;

/** Who did what and when, the newest first, and whether the history is whole. */
export function Activity() {
  const [query, setQuery] = useSearchParams();
  const kind = (query.get('kind') ?? undefined) as Kind | undefined;
  const person = query.get('person') ?? undefined;
  const people = usePeople();
  const list = useInfiniteQuery({
    queryKey: ['history', kind, person],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      (await answer(api.GET('/api/v1/history', { params: { query: { kind, person, after: pageParam } } }))).data,
    getNextPageParam: (page) => page.next,
  });
  const verified = useQuery({
    queryKey: ['verified'],
    enabled: false,
    queryFn: async () => (await answer(api.GET('/api/v1/history/verified'))).data,
  });
  const choose = (name: string, value?: string) =>
    setQuery((before) => {
      if (value) before.set(name, value);
      else before.delete(name);
      return before;
    });
  return (
    <>
      <div className="title">
        <div>
          <h1>Activity</h1>
          <p className="say">
            Who did what and when. Nothing in it can be altered or taken out unseen: each entry carries the hash of the
            one before.
          </p>
        </div>
        <Button onClick={() => void verified.refetch()}>Check the whole history</Button>
      </div>
      {verified.data && (
        <p role="status" className={verified.data.holds ? 'panel' : 'fault'}>
          {verified.data.says} <span className="mono dim">newest {verified.data.newest}</span>
        </p>
      )}
      <Fault error={verified.error} />
      <div className="choices">
        <Choice label="of">
          <Select
            size="small"
            allowClear
            showSearch
            aria-label="of what"
            placeholder="everything"
            style={{ width: 160 }}
            value={kind}
            onChange={(value?: string) => choose('kind', value)}
            options={Object.entries(kinds).map(([value, label]) => ({ value, label }))}
            optionFilterProp="label"
          />
        </Choice>
        <Choice label="by">
          <Select
            size="small"
            allowClear
            showSearch
            aria-label="by whom"
            placeholder="everybody"
            style={{ width: 160 }}
            value={person}
            onChange={(value?: string) => choose('person', value)}
            options={people.data?.map((p) => ({ value: p.name, label: p.name }))}
          />
        </Choice>
      </div>
      <Fault error={list.error} />
      <Table
        size="small"
        rowKey="seq"
        pagination={false}
        loading={list.isPending && !list.error}
        dataSource={list.data?.pages.flatMap((p) => p.events)}
        locale={{ emptyText: !list.data ? ' ' : 'Nothing of this kind has been done yet.' }}
        columns={[
          {
            title: '',
            align: 'right',
            width: 60,
            render: (_, e: HistoryEvent) => <span className="dim">{count(e.seq)}</span>,
          },
          {
            title: 'when',
            width: 170,
            render: (_, e: HistoryEvent) =>
              new Date(e.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'medium' }),
          },
          {
            title: 'who',
            width: 130,
            render: (_, e: HistoryEvent) => e.person || <span className="dim">the service</span>,
          },
          { title: 'what', render: (_, e: HistoryEvent) => e.says },
          {
            title: 'hash',
            width: 100,
            render: (_, e: HistoryEvent) => (
              <span className="mono dim" title={e.hash}>
                {e.hash.slice(0, 8)}
              </span>
            ),
          },
        ]}
      />
      <More list={list} says="Earlier" />
    </>
  );
}
