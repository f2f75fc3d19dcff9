import type { Run } from '../api/client';
import { count } from './format';

/** How many open records of earlier runs a run has carried in; nothing where it has none. */
export function Carried({ run }: { run: Run }) {
  const [left, right] = run.sides.map((side) => side.carried ?? 0);
  if (!left && !right) return null;
  return (
    <>
      {' '}
      · carried from earlier runs: <span className="l">{count(left ?? 0)} left</span>,{' '}
      <span className="r">{count(right ?? 0)} right</span>
    </>
  );
}
