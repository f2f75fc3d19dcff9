import { useQueryClient } from '@tanstack/react-query';
import { Button, Select } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { type Entry, ProblemError, type Run, type Work as WorkView, type WorkChange } from '../api/client';
import { useMay, useMe, usePeople } from '../api/people';
import { changeEntry, useReasons } from '../api/work';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { amount, when } from '../parts/format';
import { useUnsaved } from '../parts/useUnsaved';
import { tellUnsent } from './Unsent';
import { changeSays, changeWords, statuses, statusWords } from './query';

const words = (c: WorkChange) =>
  [
    c.status && statusWords[c.status],
    c.owner !== undefined && (c.owner ? `owned by ${c.owner}` : 'owned by nobody'),
    c.reason !== undefined && (c.reason ? `reason: ${c.reason}` : 'without a reason'),
  ]
    .filter(Boolean)
    .join(', ');

/**
 * What people do about one exception. One change is sent after the other, each against the version that was on screen or that one's own
 * change before it has made. When somebody else has changed it meanwhile, both are shown, and neither is lost; nor is what could not be sent,
 * which is told elsewhere where this exception is not looked at any more.
 */
export function Work({ run, entry, signed }: { run: Run; entry: Entry & { work: WorkView }; signed: boolean }) {
  const queries = useQueryClient();
  const may = useMay('analyst');
  const me = useMe();
  const people = usePeople();
  const reasons = useReasons();
  const w = entry.work;
  const [mine, setMine] = useState<WorkChange>({}); // what has not come through
  const [failed, setFailed] = useState<unknown>();
  const waiting = useRef<WorkChange>({}); // the same, at once
  const sending = useRef(Promise.resolve());
  const stuck = useRef(false); // nothing more is sent before a person has seen why
  const version = useRef(w.version);
  const there = useRef(true);
  useEffect(() => {
    there.current = true;
    return () => {
      there.current = false;
    };
  }, []);
  useEffect(() => {
    version.current = Math.max(version.current, w.version);
  }, [w.version]);
  const fixed = !may || signed || w.exception === 0;
  const keep = (change: WorkChange) => {
    waiting.current = change;
    setMine(change);
  };
  async function send() {
    const all = waiting.current;
    if (stuck.current || Object.keys(all).length === 0) return;
    try {
      const now = await changeEntry(run.id, entry.id, version.current, all);
      version.current = now.work?.version ?? version.current;
      queries.setQueryData(['entry', run.id, entry.id], now);
      const rest = Object.entries(waiting.current).filter(([part, to]) => all[part as keyof WorkChange] !== to);
      keep(Object.fromEntries(rest));
    } catch (error) {
      stuck.current = true;
      setFailed(error);
      if (!there.current) tellUnsent({ by: me.data?.name, run: run.id, entry, change: words(waiting.current), error });
    }
    for (const key of ['entries', 'entry']) await queries.invalidateQueries({ queryKey: [key, run.id] });
  }
  function change(part: WorkChange) {
    setFailed(undefined);
    stuck.current = false;
    keep({ ...waiting.current, ...part });
    sending.current = sending.current.then(send);
  }
  function leave() {
    setFailed(undefined);
    stuck.current = false;
    keep({});
  }
  useUnsaved(failed !== undefined && Object.keys(mine).length > 0, 'Your change to this exception');
  const conflict = failed instanceof ProblemError && failed.problem.type === '/problems/changed-meanwhile';
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
        onChange={(to: string) => change({ [label]: to })}
        options={options}
      />
    </Choice>
  );
  return (
    <section aria-label="Work">
      <div className="choices" style={{ marginBottom: 4 }}>
        {select(
          'status',
          mine.status ?? entry.status ?? 'open',
          statuses.map((s) => ({ value: s, label: statusWords[s] ?? s })),
        )}
        {select('owner', mine.owner ?? w.owner ?? '', [
          { value: '', label: 'nobody' },
          ...(people.data ?? [])
            .filter((p) => p.active || p.name === w.owner)
            .map((p) => ({ value: p.name, label: p.name })),
        ])}
        {select('reason', mine.reason ?? w.reason ?? '', [
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
      {conflict && (
        <div className="fault" role="alert">
          {w.changedBy || 'Somebody'} has changed it while you did: it is now{' '}
          <b>{words({ status: entry.status as WorkChange['status'], owner: w.owner ?? '', reason: w.reason ?? '' })}</b>
          . You wanted <b>{words(mine)}</b>.
          <div className="acts" style={{ marginTop: 6 }}>
            <Button size="small" onClick={() => change({})}>
              Make it mine all the same
            </Button>
            <Button size="small" onClick={leave}>
              Leave it as it is
            </Button>
          </div>
        </div>
      )}
      {!conflict && failed !== undefined && (
        <>
          <Fault error={failed} />
          <div className="acts" style={{ marginTop: 6 }}>
            <Button size="small" onClick={() => change({})}>
              Try it again
            </Button>
            <Button size="small" onClick={leave}>
              Leave it as it is
            </Button>
          </div>
        </>
      )}
    </section>
  );
}
