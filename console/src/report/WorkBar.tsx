import { useQueryClient } from '@tanstack/react-query';
import { Button, Select } from 'antd';
import { useState } from 'react';
import { answer, api, type Done, ProblemError, type Run } from '../api/client';
import { usePeople } from '../api/people';
import { undo, useReasons } from '../api/work';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { type EntryQuery, statuses, statusWords } from './query';

type Over = 'skip' | 'overwrite' | undefined;

/** Status, owner and reason of all exceptions that are chosen, or of all that the filter chooses: one action, which can be undone as one. */
export function WorkBar(p: {
  run: Run;
  query: EntryQuery;
  total: number;
  seen: number;
  chosen: string[];
  clear: () => void;
}) {
  const queries = useQueryClient();
  const people = usePeople();
  const reasons = useReasons();
  const [status, setStatus] = useState<string>();
  const [owner, setOwner] = useState<string>();
  const [reason, setReason] = useState<string>();
  const [done, setDone] = useState<Done>();
  const [failed, setFailed] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const many = p.chosen.length || p.total;
  const nothing = status === undefined && owner === undefined && reason === undefined;
  async function act(what: () => Promise<Done>) {
    setBusy(true);
    setFailed(undefined);
    setDone(undefined);
    try {
      setDone(await what());
      p.clear();
      setStatus(undefined);
      setOwner(undefined);
      setReason(undefined);
    } catch (error) {
      setFailed(error);
    }
    setBusy(false);
    for (const key of ['entries', 'entry', 'actions']) await queries.invalidateQueries({ queryKey: [key, p.run.id] });
  }
  const change = (over: Over) => async () =>
    (
      await answer(
        api.POST('/api/v1/runs/{run}/entries/work', {
          params: { path: { run: p.run.id }, query: p.chosen.length ? undefined : p.query },
          body: {
            status: status as 'open',
            owner: owner === '-' ? '' : owner,
            reason: reason === '-' ? '' : reason,
            count: many,
            seen: p.seen,
            over,
            entries: p.chosen.length ? p.chosen : undefined,
          },
        }),
      )
    ).data;
  const stale = failed instanceof ProblemError && failed.problem.type === '/problems/changed-meanwhile';
  const select = (
    label: string,
    value: string | undefined,
    set: (to?: string) => void,
    options: { value: string; label: string }[],
  ) => (
    <Choice label={label}>
      <Select
        size="small"
        allowClear
        showSearch
        optionFilterProp="label"
        aria-label={`${label} of the chosen`}
        placeholder="as it is"
        style={{ width: 150 }}
        popupMatchSelectWidth={false}
        value={value}
        onChange={set}
        options={options}
      />
    </Choice>
  );
  return (
    <section className="workbar" aria-label="Work on the chosen">
      <div className="choices">
        <b className="lead">{p.chosen.length ? 'Set for the chosen' : 'Set for all of these'}</b>
        {select(
          'status',
          status,
          setStatus,
          statuses.map((s) => ({ value: s, label: statusWords[s] ?? s })),
        )}
        {select('owner', owner, setOwner, [
          { value: 'me', label: 'me' },
          { value: '-', label: 'nobody' },
          ...(people.data ?? []).filter((one) => one.active).map((one) => ({ value: one.name, label: one.name })),
        ])}
        {select('reason', reason, setReason, [
          { value: '-', label: 'none' },
          ...(reasons.data ?? []).map((r) => ({ value: r, label: r })),
        ])}
        <Button
          size="small"
          type="primary"
          disabled={nothing || busy || many === 0}
          onClick={() => void act(change(undefined))}
        >
          {p.chosen.length ? `Change the ${count(many)} chosen` : `Change all ${count(many)}`}
        </Button>
        {p.chosen.length > 0 && (
          <Button size="small" type="text" onClick={p.clear}>
            Choose none
          </Button>
        )}
      </div>
      <Fault error={failed} />
      {stale && (
        <>
          <ul className="dim">
            {failed.problem.faults?.map((f) => (
              <li key={f.where}>{f.what}</li>
            ))}
          </ul>
          <div className="acts">
            <Button size="small" onClick={() => void act(change('skip'))}>
              Change the others, and leave these
            </Button>
            <Button size="small" onClick={() => void act(change('overwrite'))}>
              Change these, too
            </Button>
          </div>
        </>
      )}
      {done && (
        <p role="status" style={{ margin: '6px 0 0' }}>
          {done.undone
            ? `Undone${done.kept > 0 ? `; ${count(done.kept)} have been changed since, and stay as they are` : ''}.`
            : `${count(done.changed)} ${done.changed === 1 ? 'exception is' : 'exceptions are'} now ${done.says}.`}{' '}
          {!done.undone && done.changed > 0 && (
            <Button size="small" onClick={() => void act(() => undo(p.run.id, done.id))}>
              Undo
            </Button>
          )}
        </p>
      )}
    </section>
  );
}
