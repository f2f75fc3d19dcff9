import { useQuery } from '@tanstack/react-query';
import { Button } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { answer, api, type Run } from '../api/client';
import { useMay } from '../api/people';
import { Fault } from '../parts/Fault';
import { ReasonField } from '../parts/ReasonField';
import { useDoing } from '../parts/useDoing';
import { useDraft } from '../parts/useDraft';
import { amount, change, count, places } from '../parts/format';

export type Chosen = { left: number[]; right: number[] };

/** Records that have been chosen on both sides: their sums and the difference, and, for who may, the means to pair them by hand. */
export function ByHand({ run, chosen, clear }: { run: Run; chosen: Chosen; clear: () => void }) {
  const may = useMay('analyst');
  const [reason, setReason, sent] = useDraft(`reason of a pairing in report ${run.id}`);
  const [done, setDone] = useState(false);
  const { act, failed, busy } = useDoing(['crosswalk']);
  const both = chosen.left.length > 0 && chosen.right.length > 0;
  const tried = useQuery({
    queryKey: ['pair', run.id, chosen],
    enabled: both,
    retry: false,
    queryFn: async ({ signal }) =>
      (
        await answer(
          api.POST('/api/v1/runs/{run}/pairs/tried', { params: { path: { run: run.id } }, body: chosen, signal }),
        )
      ).data,
  });
  const pair = () =>
    act(async () => {
      await answer(
        api.POST('/api/v1/runs/{run}/pairs', {
          params: { path: { run: run.id } },
          body: { ...chosen, reason },
        }),
      );
      setDone(true);
      sent(reason);
      clear();
    });
  if (chosen.left.length + chosen.right.length === 0)
    return done ? (
      <p role="status">
        <b>Paired by hand.</b> It holds from the next run on;{' '}
        <Link to={`/sieves/of/${encodeURIComponent(run.sieve)}/crosswalk`}>it stands in the crosswalk</Link>, where it
        can be taken back.
      </p>
    ) : null;
  return (
    <section className="panel byhand" aria-label="Pairing by hand">
      <div className="title" style={{ alignItems: 'center' }}>
        <h2 style={{ margin: 0 }}>
          Pairing by hand{' '}
          <small>
            <span className="l">{count(chosen.left.length)} left</span>,{' '}
            <span className="r">{count(chosen.right.length)} right</span>
            {!both && '; choose records of the other side, too, in its tray'}
          </small>
        </h2>
        <div className="acts">
          {may && (
            <>
              <ReasonField label="reason of the pairing" value={reason} change={setReason} />
              <Button type="primary" disabled={!both || !tried.data || busy} onClick={() => void pair()}>
                Pair them by hand
              </Button>
            </>
          )}
          <Button type="text" onClick={clear}>
            Choose none
          </Button>
        </div>
      </div>
      <Fault error={tried.error} />
      <Fault error={failed} />
      {both && tried.data && (
        <p style={{ margin: '6px 0 0' }} data-testid="sums">
          {tried.data.sums.map((s) => {
            const least = Math.max(places(s.left), places(s.right));
            return (
              <span key={s.name} style={{ marginRight: 24 }}>
                {s.name}: <b className="l">{amount(s.left, least)}</b> against{' '}
                <b className="r">{amount(s.right, least)}</b>, difference <b>{change(s.difference, least)}</b>
              </span>
            );
          })}
          {tried.data.matched
            ? 'Every compared field agrees: they would be matched.'
            : `They would be differing, in ${tried.data.outcomes
                .filter((o) => !o.agrees)
                .map((o) => run.sides[0]?.columns[o.left])
                .join(', ')}.`}
        </p>
      )}
    </section>
  );
}
