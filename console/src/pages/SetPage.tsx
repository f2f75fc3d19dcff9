import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Table, Tabs, Upload } from 'antd';
import { useState } from 'react';
import { useParams } from 'react-router';
import { answer, api, type Job } from '../api/client';
import { reload, send } from '../api/intake';
import { follow } from '../api/jobs';
import { Cell } from '../parts/Cell';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';
import { HandOver } from '../parts/HandOver';
import { HeldLines } from '../parts/HeldLines';
import { JobBar } from '../parts/JobBar';
import { Changed } from '../set/Changed';
import { Profile } from '../set/Profile';

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
      <div className="title">
        <div>
          <h1>{name}</h1>
          <p className="say">
            Snapshot {s.number} of {when(s.created)} from <span className="mono">{s.source}</span>: {count(s.records)}{' '}
            records and {count(s.rejects)} rejected lines; content <span className="mono">{s.hash.slice(0, 12)}</span>
            <br />
            read as {s.read.replace('\t', 'tab')}
            {s.findings.same && `; the same content as ${s.findings.same}`}
          </p>
        </div>
        <Acts name={name} inFolder={!!s.recipe?.source.path} />
      </div>
      <HeldLines held={s.findings.held} />
      {s.findings.footers.map((f) => (
        <p key={f.line} className="say">
          Line {count(f.line)} is a footer and no record: <span className="mono">{f.text}</span>
        </p>
      ))}
      <Changed name={name} snapshot={s.number} />
      <Tabs
        items={[
          { key: 'profile', label: 'Profile', children: <Profile name={name} snapshot={s.number} /> },
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

/** Loading the set again, and handing it over. */
function Acts({ name, inFolder }: { name: string; inFolder: boolean }) {
  const queries = useQueryClient();
  const [job, setJob] = useState<Job>();
  const [failed, setFailed] = useState<unknown>();
  async function again(file?: File) {
    setFailed(undefined);
    try {
      const source = file ? { upload: (await send(file.name, file)).id } : {};
      const begun = await reload(name, source);
      setJob(begun);
      await follow(begun, setJob);
      await queries.invalidateQueries();
    } catch (error) {
      setFailed(error);
    } finally {
      setJob(undefined);
    }
  }
  return (
    <div>
      <div className="acts">
        {inFolder && (
          <Button onClick={() => void again()} disabled={!!job}>
            Reload
          </Button>
        )}
        <Upload
          showUploadList={false}
          beforeUpload={(file) => {
            void again(file);
            return false;
          }}
        >
          <Button disabled={!!job}>Reload from a new file</Button>
        </Upload>
        <HandOver what="Hand over" at={`/api/v1/sets/${encodeURIComponent(name)}/export`} />
      </div>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
    </div>
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
            render: (_: unknown, r: (typeof rows)[number]) => (
              <Cell text={r.cells[i]} marker={r.markers?.includes(i)} />
            ),
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
        rowKey={(r) => `${r.line} ${r.text}`}
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
