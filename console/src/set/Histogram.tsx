import { scaleLinear } from 'd3-scale';
import type { ColumnProfile } from '../api/client';
import { count } from '../parts/format';

/** Records by size, by date or by length. Its text equivalent is its label. */
export function Histogram(p: { column: ColumnProfile; width: number; height: number; labels?: boolean }) {
  const bins = p.column.histogram;
  if (bins.length === 0) return null;
  const foot = p.labels ? 16 : 0;
  const y = scaleLinear([0, Math.max(...bins.map((b) => b.records), 1)], [0, p.height - foot - 2]);
  const step = p.width / Math.max(bins.length, 8);
  const span = (b: (typeof bins)[number]) => (b.from === b.to ? b.from : `${b.from} to ${b.to}`);
  const first = bins[0]!;
  const last = bins[bins.length - 1]!;
  return (
    <svg
      className="histogram"
      width={p.width}
      height={p.height}
      role="img"
      aria-label={`${p.column.name} by ${p.column.by}: ${bins.map((b) => `${span(b)}, ${b.records}`).join('; ')}`}
    >
      <line x1={0} x2={p.width} y1={p.height - foot - 0.5} y2={p.height - foot - 0.5} />
      {bins.map((b, i) => {
        const height = b.records > 0 ? Math.max(y(b.records), 1) : 0;
        return (
          <rect key={b.from} x={i * step} y={p.height - foot - height} width={Math.max(step - 1, 1)} height={height}>
            <title>{`${span(b)}: ${count(b.records)}`}</title>
          </rect>
        );
      })}
      {p.labels && bins.length > 1 && (
        <>
          <text x={0} y={p.height - 3}>
            {first.from}
          </text>
          <text x={bins.length * step} y={p.height - 3} textAnchor="end">
            {last.to}
          </text>
        </>
      )}
    </svg>
  );
}
