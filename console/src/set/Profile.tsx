import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Table } from 'antd';
import { useState } from 'react';
import { answer, api, type ColumnProfile, type Job } from '../api/client';
import { begin } from '../api/jobs';
import { Fault } from '../parts/Fault';
import { amount, count, visible } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { TypeTag } from '../parts/TypeTag';
import { Histogram } from './Histogram';

/** The profile of a set's newest snapshot; where there is none yet, it is made. */
function useProfile(name: string, snapshot: number, tell: (job?: Job) => void) {
  const queries = useQueryClient();
  return useQuery({
    queryKey: ['profile', name, snapshot],
    staleTime: Infinity,
    retry: false,
    queryFn: async ({ signal }) => {
      const path = { params: { path: { name } } };
      const newest = async () => {
        const { data } = await answer(api.GET('/api/v1/sets/{name}/profile', path));
        if (data.snapshot === snapshot) return data;
        void queries.invalidateQueries({ queryKey: ['set', name] }); // another has come, which the page does not show yet
        throw new Error(`Snapshot ${data.snapshot} of ${name} has come meanwhile.`);
      };
      const made = await newest();
      if (made.profile) return made;
      try {
        await begin(async () => (await answer(api.POST('/api/v1/sets/{name}/profile', path))).data, tell, signal);
      } finally {
        tell(undefined);
      }
      return newest();
    },
  });
}

/** What is odd about a column's values. */
function notes(c: ColumnProfile): string {
  const list: string[] = [];
  const add = (n: number, what: string) => n > 0 && list.push(`${count(n)} ${what}`);
  add(c.type.values - c.type.read, 'do not read');
  add(c.spaces, 'with spaces around');
  add(c.caseOnly, 'differ in case only');
  add(c.leadingZeros, 'with leading zeros');
  add(c.markers, c.markers === 1 ? 'blank marker' : 'blank markers');
  return list.join(', ');
}

export function Profile({ name, snapshot }: { name: string; snapshot: number }) {
  const [job, setJob] = useState<Job>();
  const profile = useProfile(name, snapshot, setJob);
  const p = profile.data?.profile;
  return (
    <>
      <Fault error={profile.error} />
      {job && <JobBar job={job} />}
      {p && p.repeated > 0 && (
        <p className="say">
          {count(p.repeated)} {p.repeated === 1 ? 'record is' : 'records are'} the same as an earlier one in every cell.
        </p>
      )}
      <Table
        size="small"
        rowKey="name"
        pagination={false}
        loading={profile.isPending && !job && !profile.error}
        dataSource={p?.columns}
        scroll={{ x: 'max-content' }}
        expandable={{ expandedRowRender: (c) => <Details column={c} />, expandRowByClick: true }}
        columns={[
          { title: 'column', render: (_, c) => <b>{c.name}</b> },
          { title: 'reads as', render: (_, c) => <TypeTag type={c.type} /> },
          { title: 'values', width: 120, render: (_, c) => <Histogram column={c} width={110} height={26} /> },
          { title: 'blank', align: 'right', render: (_, c) => count(c.nulls + c.empty + c.markers) },
          { title: 'distinct', align: 'right', render: (_, c) => count(c.distinct) },
          { title: 'repeated', align: 'right', render: (_, c) => count(c.repeated) },
          { title: 'least', render: (_, c) => <Edge text={c.least} /> },
          { title: 'greatest', render: (_, c) => <Edge text={c.greatest} /> },
          { title: 'total', align: 'right', render: (_, c) => c.total && amount(c.total) },
          { title: 'to note', render: (_, c) => <span className="dim">{notes(c)}</span> },
        ]}
      />
    </>
  );
}

/** A least or greatest value, on one line; a long one is cut and shown whole when pointed at. */
function Edge({ text = '' }: { text?: string }) {
  return (
    <span className="mono edge" title={text}>
      {visible(text)}
    </span>
  );
}

const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function Details({ column: c }: { column: ColumnProfile }) {
  const list = (title: string, values: { text: string; records: number }[]) => (
    <section>
      <h2>{title}</h2>
      <table className="facts">
        <tbody>
          {values.map((v) => (
            <tr key={v.text}>
              <td className="mono">{visible(v.text)}</td>
              <td className="n">{count(v.records)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
  return (
    <div className="details">
      <section>
        <h2>
          By {c.by ?? 'value'} <small>{count(c.type.values)} values</small>
        </h2>
        <Histogram column={c} width={420} height={130} labels />
        <p className="say">
          {sentence(c.type.why)}. {count(c.nulls)} null, {count(c.empty)} empty, {count(c.markers)} blank markers.
          {c.shortest && c.longest && (
            <>
              {' '}
              Shortest {c.shortest.characters}: <span className="mono">{visible(c.shortest.text)}</span>; longest{' '}
              {c.longest.characters}: <span className="mono">{visible(c.longest.text)}</span>.
            </>
          )}
        </p>
      </section>
      {c.type.unread.length > 0 && list(`Not ${c.type.name}`, c.type.unread)}
      {list('Commonest values', c.common)}
      {list(c.moreShapes ? 'Shapes, of the first 10,000' : 'Shapes', c.shapes)}
    </div>
  );
}
