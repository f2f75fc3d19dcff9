import { Table } from 'antd';
import { Link } from 'react-router';
import { useRuns } from '../api/queries';
import { Fault } from '../parts/Fault';
import { count, when } from '../parts/format';

export function Reports() {
  const runs = useRuns();
  return (
    <>
      <h1>Reports</h1>
      <p className="say">One for each run of a sieve, the newest first. A report never changes what it found.</p>
      <Fault error={runs.error} />
      {runs.data?.length === 0 ? (
        <p className="panel empty">
          There are no reports yet. <Link to="/sets">Load two record sets</Link>, then{' '}
          <Link to="/sieves/new">make a sieve</Link> and run it.
        </p>
      ) : (
        <Table
          size="small"
          rowKey="id"
          pagination={false}
          loading={runs.isPending && !runs.error}
          dataSource={runs.data}
          columns={[
            {
              title: 'report',
              render: (_, r) => (
                <Link to={`/reports/${r.id}`}>
                  {r.sieve}, run {r.number}
                </Link>
              ),
            },
            { title: 'exceptions', align: 'right', render: (_, r) => count(r.summary.exceptions) },
            {
              title: 'matched',
              align: 'right',
              render: (_, r) => `${count(r.summary.trays[0]?.records[0] ?? 0)} of ${count(r.summary.records[0])}`,
            },
            {
              title: 'left',
              render: (_, r) => <span className="l">{`${r.sides[0].set}, snapshot ${r.sides[0].snapshot}`}</span>,
            },
            {
              title: 'right',
              render: (_, r) => <span className="r">{`${r.sides[1].set}, snapshot ${r.sides[1].snapshot}`}</span>,
            },
            { title: 'accounted for', render: (_, r) => (r.summary.accounted ? 'every record ✓' : 'NOT BALANCED') },
            {
              title: 'signed',
              render: (_, r) =>
                r.state === 'draft' ? <span className="dim">not yet</span> : <span className="chip">{r.state}</span>,
            },
            { title: 'finished', render: (_, r) => when(r.finished) },
          ]}
        />
      )}
    </>
  );
}
