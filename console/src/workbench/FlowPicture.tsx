import type { KeyboardEvent } from 'react';
import type { ComparisonCount, Look, Summary } from '../api/client';
import { count } from '../parts/format';
import { glyphOf } from '../parts/Glyph';
import { flowOf, spread, stacked, type Flow, type Part, type Placed } from './flow';

const width = 620;
const height = 300;
const top = 26;
const bar = 22;
const xs = { left: 150, rows: 299, right: 448 };
const line = 15;

const fills: Record<string, string> = {
  matched: 'var(--matched)',
  differing: 'var(--differing)',
  unkeyed: 'var(--grey)',
  excluded: 'none',
};

/** The colour of a part: trays of pairs have their own, all else its side's. */
const fillOf = (p: Part) =>
  (p.tray && fills[p.tray]) ??
  ({ left: 'var(--left)', right: 'var(--right)', both: 'var(--matched)' }[p.side] as string);

/**
 * Two bars, left and right, scaled by records and cut into trays, and between them the rows of the comparison; bands lead from the
 * records to the rows that they are in. Where rows are more than records, the bands widen. Each part is a door to its records.
 */
export function FlowPicture(p: {
  summary: Summary;
  look: Look;
  count?: ComparisonCount;
  names: [string, string];
  choose: (to: Partial<Look>) => void;
}) {
  const flow = flowOf(p.summary, p.look, p.count);
  const left = stacked(flow.left, flow.most, height);
  const right = stacked(flow.right, flow.most, height);
  const rows = stacked(flow.rows, flow.most, height);
  const open = (part: Part) => part.door && p.choose(part.door);
  return (
    <figure className="panel flow" data-testid="flow">
      <figcaption>
        <h2>
          Flow <small>records, and the rows that they are in; bars are to one scale</small>
        </h2>
      </figcaption>
      <svg viewBox={`0 0 ${width} ${height + top + 8}`} role="group" aria-label="Flow picture">
        <text x={xs.left + bar / 2} y={14} className="head l" textAnchor="middle">
          {p.names[0]}
        </text>
        <text x={xs.rows + bar / 2} y={14} className="head" textAnchor="middle">
          {p.look.comparison}
        </text>
        <text x={xs.right + bar / 2} y={14} className="head r" textAnchor="middle">
          {p.names[1]}
        </text>
        <g transform={`translate(0 ${top})`}>
          <Bands from={left} to={rows} x1={xs.left + bar} x2={xs.rows} side="left" />
          <Bands from={right} to={rows} x1={xs.right} x2={xs.rows + bar} side="right" />
          <rect x={xs.left - 4} y={0} width={2} height={end(left)} fill="var(--left)" />
          <rect x={xs.right + bar + 2} y={0} width={2} height={end(right)} fill="var(--right)" />
          <Bar parts={left} x={xs.left} labels="before" open={open} names={p.names} />
          <Bar parts={rows} x={xs.rows} labels="none" open={open} names={p.names} />
          <Bar parts={right} x={xs.right} labels="behind" open={open} names={p.names} />
        </g>
      </svg>
      <Words flow={flow} names={p.names} open={open} look={p.look} />
    </figure>
  );
}

/** Where a bar ends. */
const end = (parts: Placed[]) => parts.reduce((y, p) => Math.max(y, p.y + p.h), 0);

/** A side's records without a partner are in rows of that side alone; all its others are in rows of both sides. */
function goesTo(part: Part, rows: Placed[], side: 'left' | 'right'): Placed | undefined {
  const lone = part.tray === 'missing' || part.tray === 'orphaned' || part.tray === 'unkeyed';
  if (!part.kept || part.tray === 'excluded') return undefined;
  const own = rows.find((r) => r.id === `rows ${side}-anti`);
  if (lone && own) return own;
  const semi = rows.find((r) => r.id === `rows ${side}-semi`);
  if (!lone && semi) return semi;
  return rows.find((r) => r.side === 'both');
}

function Bands(p: { from: Placed[]; to: Placed[]; x1: number; x2: number; side: 'left' | 'right' }) {
  // All parts that lead to the same rows share their height, each by its records.
  const shares = new Map<string, { y: number; per: number }>();
  for (const rows of p.to) {
    const sources = p.from.filter((f) => goesTo(f, p.to, p.side)?.id === rows.id);
    const all = sources.reduce((n, f) => n + f.n, 0);
    if (all > 0) shares.set(rows.id, { y: rows.y, per: rows.h / all });
  }
  const mid = (p.x1 + p.x2) / 2;
  return (
    <>
      {p.from.map((f) => {
        const to = goesTo(f, p.to, p.side);
        const share = to && shares.get(to.id);
        if (!share) return null;
        const y = share.y;
        const h = share.per * f.n;
        share.y += h;
        const d = `M${p.x1} ${f.y} C${mid} ${f.y} ${mid} ${y} ${p.x2} ${y} L${p.x2} ${y + h} C${mid} ${y + h} ${mid} ${f.y + f.h} ${p.x1} ${f.y + f.h}Z`;
        const fill = f.tray === 'unkeyed' ? 'var(--grey)' : `var(--${p.side})`;
        return <path key={f.id} d={d} fill={fill} className="band" />;
      })}
    </>
  );
}

type BarProps = {
  parts: Placed[];
  x: number;
  labels: 'before' | 'behind' | 'none';
  open: (part: Part) => void;
  names: [string, string];
};

function Bar({ parts, x, labels, open, names }: BarProps) {
  const at = spread(
    parts.map((p) => p.y + p.h / 2),
    line,
    height,
  );
  return (
    <>
      {parts.map((p, i) => (
        <g
          key={p.id}
          role="button"
          tabIndex={0}
          className={`door${p.kept ? '' : ' gone'}`}
          aria-label={`${said(p, names)}: show them`}
          data-part={p.id}
          onClick={() => open(p)}
          onKeyDown={(event: KeyboardEvent) => {
            if (event.key !== 'Enter' && event.key !== ' ') return;
            event.preventDefault();
            open(p);
          }}
        >
          <title>{said(p, names)}</title>
          <rect
            x={x}
            y={p.y}
            width={bar}
            height={p.h}
            fill={fillOf(p)}
            stroke={p.tray === 'excluded' ? 'var(--grey)' : 'none'}
            strokeDasharray="2 2"
          />
          {labels !== 'none' && (
            <>
              <path
                className="leader"
                d={
                  labels === 'before'
                    ? `M${x - 2} ${p.y + p.h / 2} L${x - 10} ${at[i] ?? 0}`
                    : `M${x + bar + 2} ${p.y + p.h / 2} L${x + bar + 10} ${at[i] ?? 0}`
                }
              />
              <g
                transform={`translate(${labels === 'before' ? x - 27 : x + bar + 14} ${(at[i] ?? 0) - 6}) scale(0.8)`}
                aria-hidden="true"
              >
                {p.tray && glyphOf(p.tray)}
              </g>
              <text
                x={labels === 'before' ? x - 32 : x + bar + 32}
                y={(at[i] ?? 0) + 4}
                textAnchor={labels === 'before' ? 'end' : 'start'}
              >
                {labels === 'before' ? `${p.label} ` : ''}
                <tspan className="n">{count(p.n)}</tspan>
                {labels === 'behind' ? ` ${p.label}` : ''}
              </text>
            </>
          )}
          {labels === 'none' && (
            <text x={x + bar + 5} y={(at[i] ?? 0) + 4} className="beside">
              {count(p.n)}
            </text>
          )}
        </g>
      ))}
    </>
  );
}

/** A part in words. */
function said(p: Part, names: [string, string]): string {
  const of = p.side === 'both' ? '' : ` of ${names[p.side === 'left' ? 0 : 1]}`;
  const what = p.id.startsWith('rows') ? (p.n === 1 ? 'row' : 'rows') : p.n === 1 ? 'record' : 'records';
  return p.id.startsWith('rows') && p.label === 'rows'
    ? `${count(p.n)} ${what}`
    : `${count(p.n)} ${what}${of} ${p.label}${p.kept ? '' : ', left out'}`;
}

/** The same as the picture, for who does not see it. */
function Words(p: { flow: Flow; names: [string, string]; look: Look; open: (part: Part) => void }) {
  const { left, right, rows } = p.flow;
  const list = (title: string, parts: Part[]) => (
    <li>
      {title}:{' '}
      {parts.map((part, i) => (
        <span key={part.id}>
          {i > 0 && '; '}
          <button type="button" className="link" onClick={() => p.open(part)}>
            {said(part, p.names)}
          </button>
        </span>
      ))}
      {parts.length === 0 && 'nothing'}
    </li>
  );
  return (
    <details className="say">
      <summary>The picture in words</summary>
      <ul className="notes">
        {list(p.names[0], left)}
        {list(`rows of ${p.look.comparison}`, rows)}
        {list(p.names[1], right)}
      </ul>
    </details>
  );
}
