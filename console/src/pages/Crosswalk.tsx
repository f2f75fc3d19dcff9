import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Table, Upload } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { ProblemError, type Acceptance, type RecordView } from '../api/client';
import { crosswalk, takeBack, takeFile } from '../api/crosswalk';
import { useMay } from '../api/people';
import { useName } from '../parts/useName';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';
import { Key } from '../parts/Key';
import { useDoing } from '../parts/useDoing';

const kinds = { keys: 'the same', refused: 'not the same', records: 'paired by hand' } as const;

/** What people have accepted as the same in a sieve, and refused, with who and when; an entry can be taken back. */
export function CrosswalkPage() {
  const name = useName() ?? '';
  const may = useMay('analyst');
  const queries = useQueryClient();
  const list = useQuery({ queryKey: ['crosswalk', name], queryFn: () => crosswalk(name) });
  const { act, failed, busy } = useDoing();
  const [given, setGiven] = useState<File>(); // the file that was taken in last, which a confirmation is about
  const joining = failed instanceof ProblemError && failed.problem.type === '/problems/joins-keys' ? given : undefined;
  const takeIn = (file: File, confirm = false) =>
    act(async () => {
      setGiven(file);
      queries.setQueryData(['crosswalk', name], await takeFile(name, file, confirm));
    });
  const end = (entry: number) =>
    act(async () => {
      setGiven(undefined);
      queries.setQueryData(['crosswalk', name], await takeBack(name, entry));
    });
  return (
    <>
      <div className="title">
        <div>
          <h1>Crosswalk</h1>
          <p className="say">
            What has been accepted as the same in <Link to={`/sieves/of/${encodeURIComponent(name)}`}>{name}</Link>,
            though it is written differently. It holds from the next run on
            {list.data && list.data.version > 0 && `; now at version ${list.data.version}`}.
          </p>
        </div>
        <div className="acts">
          {may && (
            <Upload accept=".csv" showUploadList={false} beforeUpload={(file) => (void takeIn(file), false)}>
              <Button>Take in a CSV</Button>
            </Upload>
          )}
          <Button href={`/api/v1/sieves/${encodeURIComponent(name)}/crosswalk/export`}>Hand it over as CSV</Button>
        </div>
      </div>
      <Fault error={list.error} />
      <Fault error={failed} />
      {joining && (
        <Button size="small" disabled={busy} onClick={() => void takeIn(joining, true)}>
          Yes, all of them are the same
        </Button>
      )}
      <Table
        size="small"
        rowKey="id"
        pagination={false}
        loading={list.isPending && !list.error}
        dataSource={list.data?.entries}
        locale={{
          emptyText: !list.data
            ? ' '
            : 'Nothing yet. Near matches of a report, and pairings by hand, come to stand here.',
        }}
        columns={[
          {
            title: 'decision',
            render: (_, e: Acceptance) => (
              <span className={e.holds ? undefined : 'dim'}>
                {kinds[e.kind]}
                {!e.holds && `, taken back${e.endedBy ? ` by ${e.endedBy}` : ''}`}
              </span>
            ),
          },
          {
            title: 'left',
            onHeaderCell: () => ({ className: 'l' }),
            render: (_, e: Acceptance) => <Side keyed={e.left} records={e.records?.[0]} keys={e.keys?.[0]} />,
          },
          {
            title: 'right',
            onHeaderCell: () => ({ className: 'r' }),
            render: (_, e: Acceptance) => <Side keyed={e.right} records={e.records?.[1]} keys={e.keys?.[1]} />,
          },
          { title: 'reason', render: (_, e: Acceptance) => <span className="dim">{e.reason}</span> },
          { title: 'by', render: (_, e: Acceptance) => e.by },
          { title: 'when', render: (_, e: Acceptance) => when(e.created) },
          {
            title: '',
            key: 'end',
            render: (_, e: Acceptance) =>
              may &&
              e.holds && (
                <Button size="small" type="text" disabled={busy} onClick={() => void end(e.id)}>
                  Take it back
                </Button>
              ),
          },
        ]}
      />
    </>
  );
}

function Side(p: { keyed?: string[]; records?: RecordView[]; keys?: string[] }) {
  if (p.records)
    return p.records.map((r, i) => (
      <div key={r.number}>
        <span className="mono">{p.keys?.[i]}</span> <span className="dim">record {count(r.number)}</span>
      </div>
    ));
  return p.keyed ? <Key parts={p.keyed} /> : null;
}
