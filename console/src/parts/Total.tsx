import { amount, places } from './format';

/** The total of a group's amounts on one side; nothing where all of them are blank or one cannot be read. */
export function Total({ totals, side }: { totals: string[]; side: number }) {
  const text = totals[side];
  if (!text) return <span className="blank">no total</span>;
  const least = Math.max(...totals.map((t) => places(t)));
  return (
    <span className="mono" title="the total of all its records">
      Σ {amount(text, least)}
    </span>
  );
}
