import { scaleBand, scaleLinear } from 'd3-scale';
import type { BalanceAmount } from '../api/client';
import { amount, change, count, places } from './format';

const fills: Record<string, string> = {
  excluded: 'line',
  unkeyed: 'grey',
  matched: 'matched',
  differing: 'differing',
  missing: 'left',
  orphaned: 'right',
};

type Bar = { label: string; text: string; from: number; to: number; fill: string; total: boolean };

/** The way from the left total to the right total. Heights are drawn from floats; the figures are the exact texts. */
function bars(b: BalanceAmount, left: string, right: string, least: number): Bar[] {
  const list: Bar[] = [
    { label: left, text: amount(b.left, least), from: 0, to: Number(b.left), fill: 'left', total: true },
  ];
  let at = Number(b.left);
  for (const step of b.steps) {
    if (step.change === '0') continue;
    const next = at + Number(step.change);
    const fill = fills[step.tray] ?? step.side;
    const label = step.tray === 'matched' ? 'tolerance' : step.tray;
    list.push({ label, text: change(step.change, least), from: at, to: next, fill, total: false });
    at = next;
  }
  list.push({ label: right, text: amount(b.right, least), from: 0, to: Number(b.right), fill: 'right', total: true });
  return list;
}

/**
 * What a chart of values from low to high shows: from which value, from which one totals are drawn, which is zero where it is shown, and up
 * to which. Values that are all far from zero, on either side of it, are cut off, so that what is between them can be seen.
 */
function frame(low: number, high: number): [floor: number, base: number, top: number] {
  const spread = high - low || Math.abs(high) || 1;
  if (low > 0) {
    const floor = Math.max(0, low - spread * 0.35);
    return [floor, floor, high];
  }
  if (high < 0) {
    const top = Math.min(0, high + spread * 0.35);
    return [low, top, top];
  }
  return [Math.min(low, 0), 0, Math.max(high, 0) || (low === 0 ? 1 : 0)];
}

const height = 190;
const width = 1080;

export function Bridge({ balance, left, right }: { balance: BalanceAmount; left: string; right: string }) {
  const least = Math.max(places(balance.left), places(balance.right), ...balance.steps.map((s) => places(s.change)));
  const list = bars(balance, left, right, least);
  const ends = list.flatMap((b) => (b.total ? [b.to] : [b.from, b.to]));
  const high = Math.max(...ends);
  const low = Math.min(...ends);
  const [floor, base, top] = frame(low, high);
  const y = scaleLinear([floor, top], [height - 26, 20]);
  const x = scaleBand(
    list.map((_, i) => i),
    [0, width],
  )
    .paddingInner(0.35)
    .paddingOuter(0.15);
  const bar = x.bandwidth();
  const short = (label: string) => (label.length > 16 ? `${label.slice(0, 15)}…` : label);
  const words = list.map((b) => `${b.label} ${b.text}`).join('; ');
  return (
    <section className="panel">
      <h2>
        From the left total to the right total
        <small>
          {balance.name}
          {balance.currency === '' && ' without a currency'}
          {balance.currency && ` in ${balance.currency}`} ·{' '}
          {balance.closes ? 'closes to the last digit' : 'DOES NOT CLOSE'}
          {base > 0 && ' · bars are cut off below'}
          {base < 0 && ' · bars are cut off above'}
        </small>
      </h2>
      <svg
        className="bridge"
        viewBox={`0 0 ${width} ${height}`}
        width="100%"
        role="img"
        aria-label={`Bridge: ${words}`}
      >
        {base === 0 && floor < 0 && <line x1={0} x2={width} y1={y(0)} y2={y(0)} stroke="var(--line)" />}
        {list.map((b, i) => {
          const at = x(i) ?? 0;
          const from = b.total ? base : b.from;
          const top = y(Math.max(from, b.to));
          const bottom = y(Math.min(from, b.to));
          return (
            <g key={i}>
              <rect x={at} y={top} width={bar} height={Math.max(1.5, bottom - top)} fill={`var(--${b.fill})`} />
              {i < list.length - 1 && (
                <line
                  x1={at + bar}
                  x2={at + x.step()}
                  y1={y(b.to)}
                  y2={y(b.to)}
                  stroke="var(--grey)"
                  strokeDasharray="2 2"
                />
              )}
              <text x={at + bar / 2} y={top - 5} textAnchor="middle">
                {b.text}
              </text>
              <text className="dim" x={at + bar / 2} y={height - 8} textAnchor="middle">
                {short(b.label)}
              </text>
            </g>
          );
        })}
      </svg>
      <details>
        <summary>As a table</summary>
        <table className="plain" style={{ maxWidth: 460 }}>
          <tbody>
            {list.map((b, i) => (
              <tr key={i}>
                <td>{b.label}</td>
                <td className="n">{b.text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
      {[left, right].map(
        (name, s) =>
          balance.carried?.[s] && (
            <p key={name} className="dim" style={{ margin: '4px 0 0' }}>
              {name}: {amount(balance.carried[s], least)} of the total is carried from earlier runs.
            </p>
          ),
      )}
      {[left, right].map((name, s) => {
        const blank = balance.blank[s] ?? 0;
        const unreadable = balance.unreadable[s] ?? 0;
        if (blank + unreadable === 0) return null;
        const records = (balance.listed[s] ?? []).map((n) => n + 1);
        return (
          <p key={name} className="dim" style={{ margin: '4px 0 0' }}>
            {name}:{' '}
            {[
              blank > 0 && `${count(blank)} blank amount${blank > 1 ? 's count' : ' counts'} as zero`,
              unreadable > 0 &&
                `${count(unreadable)} unreadable amount${unreadable > 1 ? 's are' : ' is'} in no total (record${records.length > 1 ? 's' : ''} ${records.map(count).join(', ')})`,
            ]
              .filter(Boolean)
              .join('; ')}
            .
          </p>
        );
      })}
    </section>
  );
}
