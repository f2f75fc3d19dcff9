import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Button, Table, Tabs } from 'antd';
import { useParams } from 'react-router';
import { answer, api } from '../api/client';
import { Cell } from '../parts/Cell';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';

export function SetPage() {
  const { name = '' } = useParams();
  const set = useQuery({
    queryKey: ['set', name],
    queryFn: async () => (await answer(api.GET('/api/v1/sets/{name}', { params: { path: { name } } }))).data,
  });
  if (set.error) return <Fault error={set.error} />;
  if (!set.data) return null;
  const s = set.data.snapshot;
  return (
    <>
      <h1>{name}</h1>
      <p className="say">
        Snapshot {s.number} of {when(s.created)} from <span className="mono">{s.source}</span>: {count(s.records)}{' '}
        records and {count(s.rejects)} rejected lines; content <span className="mono">{s.hash.slice(0, 12)}</span>
      </p>
      <Tabs
        items={[
          {
            key: 'records',
            label: `Records ${count(s.records)}`,
            children: <Records name={name} columns={s.columns} />,
          },
          { key: 'rejects', label: `Rejects ${count(s.rejects)}`, children: <Rejects name={name} /> },
        ]}
      />
    </>
  );
}

function Records({ name, columns }: { name: string; columns: string[] }) {
  const records = useInfiniteQuery({
    queryKey: ['records', name],
    initialPageParam: '',
    queryFn: async ({ pageParam }) =>
      (
        await answer(
          api.GET('/api/v1/sets/{name}/records', { params: { path: { name }, query: { after: pageParam } } }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  const rows = records.data?.pages.flatMap((p) => p.records) ?? [];
  return (
    <>
      <Fault error={records.error} />
      <Table
        size="small"
        rowKey="number"
        pagination={false}
        loading={records.isPending && !records.error}
        scroll={{ x: 'max-content' }}
        dataSource={rows}
        locale={{ emptyText: 'The file had a line of column names and no records.' }}
        columns={[
          { title: 'line', align: 'right', render: (_, r) => <span className="dim">{r.line}</span> },
          ...columns.map((title, i) => ({
            title,
            render: (_: unknown, r: (typeof rows)[number]) => <Cell text={r.cells[i]} />,
          })),
        ]}
      />
      {records.hasNextPage && (
        <Button
          style={{ marginTop: 8 }}
          loading={records.isFetchingNextPage}
          onClick={() => void records.fetchNextPage()}
        >
          Show more
        </Button>
      )}
    </>
  );
}

function Rejects({ name }: { name: string }) {
  const rejects = useInfiniteQuery({
    queryKey: ['rejects', name],
    initialPageParam: '',
    queryFn: async ({ pageParam }) =>
      (
        await answer(
          api.GET('/api/v1/sets/{name}/rejects', { params: { path: { name }, query: { after: pageParam } } }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  return (
    <>
      <Fault error={rejects.error} />
      <Table
        size="small"
        rowKey="line"
        pagination={false}
        loading={rejects.isPending && !rejects.error}
        dataSource={rejects.data?.pages.flatMap((p) => p.rejects)}
        locale={{ emptyText: 'Every line was a record.' }}
        columns={[
          { title: 'line', align: 'right', width: 70, render: (_, r) => count(r.line) },
          { title: 'why it is no record', render: (_, r) => r.reason },
          { title: 'the line', render: (_, r) => <span className="mono">{r.text}</span> },
        ]}
      />
      {rejects.hasNextPage && (
        <Button
          style={{ marginTop: 8 }}
          loading={rejects.isFetchingNextPage}
          onClick={() => void rejects.fetchNextPage()}
        >
          Show more
        </Button>
      )}
    </>
  );
}
