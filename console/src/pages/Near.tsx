import { Button, Table } from 'antd';
import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import { answer, api, ProblemError, type Run, type Suggested } from '../api/client';
import { decide } from '../api/crosswalk';
import { useMay } from '../api/people';
import { useRun } from '../api/queries';
import { useAsk } from '../api/useAsk';
import { Fault } from '../parts/Fault';
import { ReasonField } from '../parts/ReasonField';
import { count } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { Key } from '../parts/Key';
import { Loaded } from '../parts/Loaded';
import { useDoing } from '../parts/useDoing';
import { useDraft } from '../parts/useDraft';
import { Signed } from '../report/SignOff';

/** Records without a partner that might belong together: suggestions that a person accepts or refuses. */
export function NearMatches() {
  const run = useRun(Number(useParams().run));
  return <Loaded of={run}>{(run) => <NearOf run={run} />}</Loaded>;
}

const idOf = (s: Suggested) => `${s.left.number}-${s.right.number}`;

function NearOf({ run }: { run: Run }) {
  const { ask, job, result, failed } = useAsk(run.id, (j) => j.result?.near);
  const may = useMay('analyst');
  const [chosen, setChosen] = useState<string[]>([]);
  const [reason, setReason] = useDraft(`reason of near matches in report ${run.id}`);
  const { act, failed: wrong, busy, forgive } = useDoing();
  const [done, setDone] = useState('');
  const look = () =>
    void ask(
      async () =>
        (await answer(api.POST('/api/v1/runs/{run}/near', { params: { path: { run: run.id } }, body: {} }))).data,
    );
  // Opening the page is the question.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  useEffect(look, [run.id]);
  const picked = result?.pairs.filter((s) => chosen.includes(idOf(s))) ?? [];
  const keyless = picked.filter((s) => !s.keyed).length;
  // What is confirmed is what was chosen when it was asked for: another choice is another question.
  const choose = (keys: string[]) => {
    setChosen(keys);
    forgive();
  };

  async function settle(accept: boolean, confirm = false) {
    setDone('');
    await act(async () => {
      const pairs = picked.filter((s) => s.keyed || !accept).map((s) => s.keys);
      const c = await decide(run.sieve, { pairs, accept, reason, source: 'near', confirm });
      setDone(
        `${count(pairs.length)} ${accept ? 'accepted: they pair from the next run on' : 'refused: they are not suggested again'}. The crosswalk is at version ${c.version}.`,
      );
      setChosen((now) => now.filter((id) => !picked.some((s) => idOf(s) === id)));
      look();
    });
  }
  const joins = wrong instanceof ProblemError && wrong.problem.type === '/problems/joins-keys';
  return (
    <>
      <Signed run={run.id} />
      <h1>Near matches</h1>
      <p className="say">
        Records of <Link to={`/reports/${run.id}`}>{run.sieve}</Link> (run {run.number}) without a partner that might
        belong together. They are suggestions: only what {may ? 'you accept' : 'an analyst accepts'} pairs, from the
        next run on. <Link to={`/sieves/of/${encodeURIComponent(run.sieve)}/crosswalk`}>What was decided so far</Link>
      </p>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
      {wrong !== undefined && <Fault error={wrong} />}
      {joins && (
        <Button size="small" disabled={busy} onClick={() => void settle(true, true)}>
          Yes, all of them are the same
        </Button>
      )}
      {done && (
        <p role="status">
          <b>{done}</b>
        </p>
      )}
      {may && (
        <div className="acts" style={{ margin: '6px 0' }}>
          <ReasonField label="reason" value={reason} change={setReason} />
          <Button type="primary" disabled={busy || picked.length - keyless === 0} onClick={() => void settle(true)}>
            Accept {picked.length - keyless > 0 && count(picked.length - keyless)} as the same
          </Button>
          <Button disabled={busy || picked.length === 0} onClick={() => void settle(false)}>
            Refuse {picked.length > 0 && count(picked.length)}
          </Button>
          {keyless > 0 && (
            <span className="dim">
              {count(keyless)} of them {keyless === 1 ? 'has' : 'have'} no key on a side: pair the records by hand, in
              the report.
            </span>
          )}
        </div>
      )}
      {result && (
        <>
          <p className="dim">
            {count(result.found)} suggestions among {count(result.records[0] ?? 0)} left and{' '}
            {count(result.records[1] ?? 0)} right records without a partner
            {result.found > result.pairs.length && `; the best ${count(result.pairs.length)} are shown`}.
          </p>
          <Table
            size="small"
            rowKey={idOf}
            pagination={false}
            dataSource={result.pairs}
            scroll={{ x: 'max-content' }}
            rowSelection={
              may
                ? {
                    selectedRowKeys: chosen,
                    onChange: (keys) => choose(keys.map(String)),
                    getCheckboxProps: (s) => ({ 'aria-label': `left ${s.left.number} and right ${s.right.number}` }),
                  }
                : undefined
            }
            locale={{ emptyText: 'Nothing without a partner is like anything else without one.' }}
            columns={[
              { title: 'score', align: 'right', render: (_, s) => s.score.toFixed(2) },
              {
                title: run.sides[0]?.set,
                onHeaderCell: () => ({ className: 'l' }),
                render: (_, s) => <Key parts={s.keys.left} />,
              },
              {
                title: run.sides[1]?.set,
                onHeaderCell: () => ({ className: 'r' }),
                render: (_, s) => <Key parts={s.keys.right} />,
              },
              { title: 'why', render: (_, s) => <span className="dim">{s.reasons.join(', ')}</span> },
            ]}
          />
        </>
      )}
    </>
  );
}
