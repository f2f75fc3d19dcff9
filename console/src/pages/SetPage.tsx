import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useMay } from '../api/people';
import { Button, Table, Tabs, Upload } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { answer, api, ProblemError, type Snapshot, type SourceRef } from '../api/client';
import { reload, send } from '../api/intake';
import { useJob } from '../api/useJob';
import { Cell } from '../parts/Cell';
import { useName } from '../parts/useName';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';
import { HandOver } from '../parts/HandOver';
import { HeldLines } from '../parts/HeldLines';
import { JobBar } from '../parts/JobBar';
import { Loaded } from '../parts/Loaded';
import { Origins } from '../parts/Origins';
import { Changed } from '../set/Changed';
import { Computed } from '../set/Computed';
import { Profile } from '../set/Profile';

export function SetPage() {
  const name = useName() ?? '';
  const set = useQuery({
    queryKey: ['set', name],
    queryFn: async () => (await answer(api.GET('/api/v1/sets/{name}', { params: { path: { name } } }))).data,
  });
  return <Loaded of={set}>{(read) => <SnapshotOf name={name} snapshot={read.snapshot} />}</Loaded>;
}

function SnapshotOf({ name, snapshot: s }: { name: string; snapshot: Snapshot }) {
  return (
    <>
      <div className="title">
        <div>
          <h1>{name}</h1>
          <p className="say">
            Snapshot {s.number} of {when(s.created)} from <span className="mono">{s.source}</span>: {count(s.records)}{' '}
            {s.records === 1 ? 'record' : 'records'} and {count(s.rejects)} rejected{' '}
            {s.rejects === 1 ? 'line' : 'lines'}; content <span className="mono">{s.hash.slice(0, 12)}</span>
            <br />
            read as {s.read.replace('\t', 'tab')}
            {s.findings.same && `; the same content as ${s.findings.same}`}
          </p>
        </div>
        <Acts
          name={name}
          byItself={byItself(s.recipe?.source)}
          made={(s.findings.parents?.length ?? 0) > 0}
          stacked={s.recipe?.source.stack?.length}
        />
      </div>
      <HeldLines held={s.findings.held} />
      {s.findings.footers.map((f) => (
        <p key={`${f.source} ${f.line}`} className="say">
          Line {count(f.line)} {f.source && `of ${f.source} `}is a footer and no record:{' '}
          <span className="mono">{f.text}</span>
        </p>
      ))}
      {s.findings.unequal?.map((u) => (
        <p key={u.label} className="say missed">
          {u.missing.length > 0 && `✗ ${u.label} has no column ${u.missing.join(', ')}; its records are blank there. `}
          {u.left.length > 0 &&
            `✗ The column ${u.left.join(', ')} of ${u.label} is left out, for not all sources have it.`}
        </p>
      ))}
      {s.findings.likeTotals?.map((f) => (
        <p key={`${f.source} ${f.line}`} className="say missed">
          ✗ the last record{f.line > 0 && `, line ${count(f.line)}`}
          {f.source && ` of ${f.source}`} looks like a total of the others, and was taken as a record:{' '}
          <span className="mono">{f.text}</span>. If it is not a record, load the file again and state how footers
          begin, or leave it out by a filter.
        </p>
      ))}
      {(s.findings.filled ?? 0) > 0 && (
        <p className="say">
          {count(s.findings.filled ?? 0)} {s.findings.filled === 1 ? 'line' : 'lines'} had too few cells, and blanks for
          the others.
        </p>
      )}
      {(s.findings.merged ?? 0) > 0 && (
        <p className="say">
          The records have {count(s.findings.merged ?? 0)} merged {s.findings.merged === 1 ? 'area' : 'areas'}; all of
          their cells but the first were read as blank.
        </p>
      )}
      {s.findings.uncomputed?.map((f) => (
        <p key={f.column} className="say missed">
          ✗ the column {f.column} could not be computed for {count(f.records)} {f.records === 1 ? 'record' : 'records'},
          the first on line {count(f.line)}: {f.why}
        </p>
      ))}
      {s.findings.lost?.map((l) => (
        <p key={l.column} className="say missed">
          ✗ the column {l.column} was left out, for it cannot be computed now: {l.why}
        </p>
      ))}
      <Changed name={name} snapshot={s.number} />
      <MadeFrom snapshot={s} />
      <Tabs
        items={[
          { key: 'profile', label: 'Profile', children: <Profile name={name} snapshot={s.number} /> },
          {
            key: 'records',
            label: `Records ${count(s.records)}`,
            children: <Records name={name} snapshot={s} />,
          },
          {
            key: 'computed',
            label: 'Computed columns',
            children: <Computed name={name} snapshot={s} />,
          },
          {
            key: 'rejects',
            label: `Rejects ${count(s.rejects)}`,
            children: <Rejects name={name} snapshot={s.number} />,
          },
        ]}
      />
    </>
  );
}

/** What a record set was made from, where it was made from others. */
function MadeFrom({ snapshot: s }: { snapshot: Snapshot }) {
  const { parents, run, origins } = s.findings;
  const sieve = s.recipe?.source.result?.sieve;
  if (!parents?.length && !origins?.length) return null;
  return (
    <>
      {parents && parents.length > 0 && (
        <p className="say" data-testid="made-from">
          {sieve ? (
            <>
              Rows of <Link to={`/sieves/of/${encodeURIComponent(sieve)}`}>{sieve}</Link>
              {run ? (
                <>
                  , <Link to={`/reports/${run}`}>report {run}</Link>
                </>
              ) : null}
              , made from{' '}
            </>
          ) : (
            'Made from '
          )}
          {parents.map((p, i) => (
            <span key={p.set}>
              {i > 0 && ', '}
              <Link to={`/sets/${encodeURIComponent(p.set)}`}>{p.set}</Link> snapshot {p.snapshot}
            </span>
          ))}
          . A run of a sieve over it makes it anew where it is not up to date.
        </p>
      )}
      {origins && origins.length > 0 && (
        <div className="panel" style={{ maxWidth: 620 }}>
          <Origins origins={origins.map((o) => ({ label: o.text, records: o.records }))} />
        </div>
      )}
    </>
  );
}

/** Whether a source can be read again without being sent. */
const byItself = (source?: SourceRef) =>
  !!source &&
  (source.stack ?? [source]).every((place) => !!place.path || !!place.connection || !!place.set || !!place.result);

/** Loading the set again, and handing it over. */
function Acts(p: { name: string; byItself: boolean; made: boolean; stacked?: number }) {
  const { name, byItself, stacked } = p;
  const { job, failed, busy, run } = useJob();
  const may = useMay('analyst');
  const [last, setLast] = useState<File[]>([]);
  const again = (files: File[], asDetected = false) => {
    setLast(files);
    return run(async () => {
      const stack = await Promise.all(
        files.map(async (file) => ({ upload: (await send(file.name, file)).id, label: file.name })),
      );
      return reload(name, stacked && stack.length > 0 ? { stack } : { upload: stack[0]?.upload }, asDetected);
    });
  };
  return (
    <div style={{ maxWidth: 440 }}>
      <div className="acts">
        {may && byItself && (
          <Button onClick={() => void again([])} disabled={busy}>
            {p.made ? 'Make it anew' : 'Reload'}
          </Button>
        )}
        {may && !p.made && (
          <Upload
            showUploadList={false}
            multiple={!!stacked}
            beforeUpload={(file, files) => {
              if (file === files[0]) void again(files); // it is called for each of them
              return false;
            }}
          >
            <Button disabled={busy}>{stacked ? 'Reload from new files' : 'Reload from a new file'}</Button>
          </Upload>
        )}
        <HandOver what="Hand over" at={`/api/v1/sets/${encodeURIComponent(name)}/export`} />
      </div>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
      {failed instanceof ProblemError && failed.problem.type === '/problems/detected-differently' && (
        <Button size="small" onClick={() => void again(last, true)} style={{ marginTop: 6 }}>
          Load it as it is detected now
        </Button>
      )}
    </div>
  );
}

function Records({ name, snapshot: s }: { name: string; snapshot: Snapshot }) {
  const records = useInfiniteQuery({
    queryKey: ['records', name, s.number],
    initialPageParam: '',
    staleTime: Infinity, // a snapshot never changes
    queryFn: async ({ pageParam, signal }) =>
      (
        await answer(
          api.GET('/api/v1/sets/{name}/records', {
            params: { path: { name }, query: { snapshot: s.number, after: pageParam || undefined } },
            signal,
          }),
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
        locale={{ emptyText: records.data ? 'The file had a line of column names and no records.' : ' ' }}
        columns={[
          { title: 'line', align: 'right', render: (_, r) => <span className="dim">{r.line}</span> },
          ...s.columns.map((title, i) => ({
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

function Rejects({ name, snapshot }: { name: string; snapshot: number }) {
  const rejects = useInfiniteQuery({
    queryKey: ['rejects', name, snapshot],
    initialPageParam: '',
    staleTime: Infinity,
    queryFn: async ({ pageParam, signal }) =>
      (
        await answer(
          api.GET('/api/v1/sets/{name}/rejects', {
            params: { path: { name }, query: { snapshot, after: pageParam || undefined } },
            signal,
          }),
        )
      ).data,
    getNextPageParam: (page) => page.next,
  });
  return (
    <>
      <Fault error={rejects.error} />
      {!!rejects.data?.pages[0]?.total && (
        <div className="acts" style={{ marginBottom: 8 }}>
          <HandOver what="Hand over the rejects" at={`/api/v1/sets/${encodeURIComponent(name)}/rejects/export`} />
        </div>
      )}
      <Table
        size="small"
        rowKey={(r) => `${r.line} ${r.text}`}
        pagination={false}
        loading={rejects.isPending && !rejects.error}
        dataSource={rejects.data?.pages.flatMap((p) => p.rejects)}
        locale={{ emptyText: rejects.data ? 'Every line was a record.' : ' ' }}
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
