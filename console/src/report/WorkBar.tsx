import { Button, Select } from 'antd';
import { useState } from 'react';
import type { paths } from '../api/schema.gen';
import { answer, api, type Done, ProblemError, type Run } from '../api/client';
import { usePeople } from '../api/people';
import { undo, useReasons } from '../api/work';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { useDoing } from '../parts/useDoing';
import { type EntryQuery, statuses, statusWords } from './query';

type Over = 'skip' | 'overwrite';

/** A change as it was asked for: of the entries that are listed, or of those that the filter chooses. */
type Wanted = {
  query?: EntryQuery;
  body: NonNullable<paths['/api/v1/runs/{run}/entries/work']['post']['requestBody']>['content']['application/json'];
};

/**
 * Status, owner and reason of all exceptions that are chosen, or of all that the filter chooses: one action, which can be undone as one. It
 * belongs to one report and one filter. What is changed is what was on screen at the press, also where it is confirmed afterwards.
 */
export function WorkBar(p: {
  run: Run;
  query: EntryQuery;
  total?: number; // none: it is not known yet
  seen: number;
  chosen: string[];
  unseen: number; // of those chosen, how many are not in the list that is shown
  clear: () => void;
}) {
  const people = usePeople();
  const reasons = useReasons();
  const [status, setStatus] = useState<string>();
  const [owner, setOwner] = useState<string>();
  const [reason, setReason] = useState<string>();
  const [done, setDone] = useState<Done>();
  const [wanted, setWanted] = useState<Wanted>();
  const { act, failed, busy } = useDoing(['entries', p.run.id], ['entry', p.run.id], ['actions', p.run.id]);
  const many = p.chosen.length || p.total;
  const nothing = status === undefined && owner === undefined && reason === undefined;
  const take = (what: () => Promise<Done>) => {
    setDone(undefined);
    return act(async () => setDone(await what()));
  };
  const now = (): Wanted => ({
    query: p.chosen.length ? undefined : p.query,
    body: {
      status: status as 'open',
      owner: owner === '-' ? '' : owner,
      reason: reason === '-' ? '' : reason,
      count: many ?? 0,
      seen: p.seen,
      entries: p.chosen.length ? p.chosen : undefined,
    },
  });
  const change = async (w: Wanted, over?: Over) => {
    setWanted(w);
    const done = await take(
      async () =>
        (
          await answer(
            api.POST('/api/v1/runs/{run}/entries/work', {
              params: { path: { run: p.run.id }, query: w.query },
              body: { ...w.body, over },
            }),
          )
        ).data,
    );
    if (!done) return;
    setWanted(undefined);
    p.clear();
    setStatus(undefined);
    setOwner(undefined);
    setReason(undefined);
  };
  const same = wanted && JSON.stringify(wanted.body.entries ?? []) === JSON.stringify(p.chosen);
  const stale = same && failed instanceof ProblemError && failed.problem.type === '/problems/changed-meanwhile';
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
        disabled={busy}
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
        <Button size="small" type="primary" disabled={nothing || busy || !many} onClick={() => void change(now())}>
          {p.chosen.length
            ? `Change the ${count(p.chosen.length)} chosen`
            : `Change all ${many === undefined ? '' : count(many)}`}
        </Button>
        {p.unseen > 0 && (
          <span>
            {p.unseen === p.chosen.length
              ? p.unseen === 1
                ? 'It is'
                : 'They are'
              : `${count(p.unseen)} of them ${p.unseen === 1 ? 'is' : 'are'}`}{' '}
            not in this list.
          </span>
        )}
        {p.chosen.length > 0 && (
          <Button size="small" type="text" onClick={p.clear}>
            Choose none
          </Button>
        )}
      </div>
      <Fault error={failed} />
      {stale && wanted && (
        <>
          <ul className="dim">
            {failed.problem.faults?.map((f) => (
              <li key={f.where}>{f.what}</li>
            ))}
          </ul>
          <div className="acts">
            <Button size="small" disabled={busy} onClick={() => void change(wanted, 'skip')}>
              Change the others, and leave these
            </Button>
            <Button size="small" disabled={busy} onClick={() => void change(wanted, 'overwrite')}>
              Change these, too
            </Button>
          </div>
        </>
      )}
      {done && (
        <p role="status" style={{ margin: '6px 0 0' }}>
          {done.undone
            ? `Undone${done.kept > 0 ? `; ${count(done.kept)} have been changed since, and stay as they are` : ''}.`
            : saysOf(done)}{' '}
          {!done.undone && done.changed > 0 && (
            <Button size="small" disabled={busy} onClick={() => void take(() => undo(p.run.id, done.id))}>
              Undo
            </Button>
          )}
        </p>
      )}
    </section>
  );
}

const saysOf = (done: Done) => {
  if (done.changed === 0) return 'Nothing was changed: all of them are so already, or were left as they are.';
  return `${count(done.changed)} ${done.changed === 1 ? 'exception is' : 'exceptions are'} now ${done.says}.`;
};
