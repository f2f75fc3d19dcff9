import { useQueryClient } from '@tanstack/react-query';
import { Button, Select } from 'antd';
import { useState } from 'react';
import { type Entry, ProblemError, type Run, type Work as WorkView, type WorkChange } from '../api/client';
import { useMay, usePeople } from '../api/people';
import { changeEntry, useReasons } from '../api/work';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { amount, when } from '../parts/format';
import { changeSays, changeWords, statuses, statusWords } from './query';

/** What people do about one exception. When somebody else has changed it meanwhile, both are shown, and neither is lost. */
export function Work({ run, entry, signed }: { run: Run; entry: Entry & { work: WorkView }; signed: boolean }) {
  const queries = useQueryClient();
  const may = useMay('analyst');
  const people = usePeople();
  const reasons = useReasons();
  const [mine, setMine] = useState<WorkChange>();
  const [failed, setFailed] = useState<unknown>();
  const w = entry.work;
  const fixed = !may || signed || w.exception === 0;
  async function change(part: WorkChange) {
    setFailed(undefined);
    const all = { ...mine, ...part };
    setMine(all); // kept until it has come through
    try {
      await changeEntry(run.id, entry.id, w.version, all);
      setMine(undefined);
    } catch (error) {
      setFailed(error);
      if (!(error instanceof ProblemError && error.problem.type === '/problems/changed-meanwhile')) setMine(undefined);
    }
    for (const key of ['entries', 'entry']) await queries.invalidateQueries({ queryKey: [key, run.id] });
  }
  const select = (label: 'status' | 'owner' | 'reason', value: string, options: { value: string; label: string }[]) => (
    <Choice label={label}>
      <Select
        size="small"
        showSearch
        optionFilterProp="label"
        aria-label={`${label} of this exception`}
        style={{ width: 165 }}
        popupMatchSelectWidth={false}
        disabled={fixed}
        value={value}
        onChange={(to: string) => void change({ [label]: to })}
        options={options}
      />
    </Choice>
  );
  const words = (c: WorkChange) =>
    [
      c.status && statusWords[c.status],
      c.owner !== undefined && (c.owner ? `owned by ${c.owner}` : 'owned by nobody'),
      c.reason !== undefined && (c.reason ? `reason: ${c.reason}` : 'without a reason'),
    ]
      .filter(Boolean)
      .join(', ');
  return (
    <section aria-label="Work">
      <div className="choices" style={{ marginBottom: 4 }}>
        {select(
          'status',
          entry.status ?? 'open',
          statuses.map((s) => ({ value: s, label: statusWords[s] ?? s })),
        )}
        {select('owner', w.owner ?? '', [
          { value: '', label: 'nobody' },
          ...(people.data ?? [])
            .filter((p) => p.active || p.name === w.owner)
            .map((p) => ({ value: p.name, label: p.name })),
        ])}
        {select('reason', w.reason ?? '', [
          { value: '', label: 'none' },
          ...[...new Set([...(reasons.data ?? []), ...(w.reason ? [w.reason] : [])])].map((r) => ({
            value: r,
            label: r,
          })),
        ])}
      </div>
      <p className="dim" style={{ margin: 0 }}>
        <span className={`mark ${w.change}`} title={changeSays[w.change]}>
          {changeWords[w.change]}
        </span>{' '}
        found first {when(w.opened)}
        {w.amount && w.amount !== '0' && (
          <>
            {' '}
            · moves the balance by {amount(w.amount)} {w.currency}
          </>
        )}
        {!w.amount && w.currency && <> · its amounts are in {w.currency}, which are not added</>}
        {w.changedBy && <> · changed last by {w.changedBy}</>}
        {signed && ' · the report is signed, so it stays as it is'}
      </p>
      {mine && failed ? (
        <div className="fault" role="alert">
          {w.changedBy || 'Somebody'} has changed it while you did: it is now{' '}
          <b>{words({ status: entry.status as WorkChange['status'], owner: w.owner ?? '', reason: w.reason ?? '' })}</b>
          . You wanted <b>{words(mine)}</b>.
          <div className="acts" style={{ marginTop: 6 }}>
            <Button size="small" onClick={() => void change({})}>
              Make it mine all the same
            </Button>
            <Button
              size="small"
              onClick={() => {
                setMine(undefined);
                setFailed(undefined);
              }}
            >
              Leave it as it is
            </Button>
          </div>
        </div>
      ) : (
        <Fault error={failed} />
      )}
    </section>
  );
}
