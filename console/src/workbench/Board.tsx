import type { ComparisonCount, Counts, Look } from '../api/client';
import { change, count } from '../parts/format';

type Choose = (to: Partial<Look>) => void;

/**
 * The exact rows of every comparison: those before the last change beside them, the records that each drops, and the rows in which
 * it shows a record again. Each is chosen with one click, and so is what it drops.
 */
export function Board(p: {
  counts: Counts;
  before?: Counts;
  wholes?: ComparisonCount[];
  chosen: Look;
  choose: Choose;
}) {
  const s = p.counts.summary;
  const was = (c: ComparisonCount) => p.before?.summary.comparisons.find((b) => b.comparison === c.comparison);
  return (
    <div className="panel" style={{ overflowX: 'auto' }}>
      <h2>
        Count board <small>exact rows of every comparison</small>
      </h2>
      <table className="plain board" data-testid="count-board">
        <thead>
          <tr>
            <th rowSpan={2}>comparison</th>
            <th rowSpan={2} className="n">
              rows
            </th>
            {p.before && (
              <th rowSpan={2} className="n">
                before
              </th>
            )}
            <th colSpan={2} title="records that are in no row">
              drops
            </th>
            <th colSpan={2} title="rows in which a record stands again that is in an earlier row already">
              shows again
            </th>
          </tr>
          <tr>
            {['drops', 'again'].map((of) =>
              (['left', 'right'] as const).map((side) => (
                <th key={of + side} className={`n ${side === 'left' ? 'l' : 'r'}`}>
                  {side}
                </th>
              )),
            )}
          </tr>
        </thead>
        <tbody>
          {[...s.comparisons, ...(p.wholes ?? [])].map((c) => (
            <Line key={c.comparison} count={c} was={was(c)} compared={!!p.before} chosen={p.chosen} choose={p.choose} />
          ))}
        </tbody>
      </table>
      <p className="dim" style={{ margin: '6px 0 0' }}>
        Keys are {s.relation}: {count(s.keys.shared)} on both sides, {count(s.keys.repeated[0] ?? 0)} repeated on the
        left, {count(s.keys.repeated[1] ?? 0)} on the right.
      </p>
    </div>
  );
}

function Line(p: { count: ComparisonCount; was?: ComparisonCount; compared: boolean; chosen: Look; choose: Choose }) {
  const c = p.count;
  const comparison = c.comparison as Look['comparison'];
  const here = p.chosen.comparison === comparison && !p.chosen.tray;
  const moved = p.was ? c.rows - p.was.rows : 0;
  return (
    <tr className={here ? 'here' : undefined}>
      <td>
        <button
          type="button"
          className="link"
          aria-pressed={here && !p.chosen.dropped}
          onClick={() => p.choose({ comparison, dropped: undefined, side: undefined, tray: undefined })}
        >
          {c.comparison}
        </button>{' '}
        <span className="dim">{c.says}</span>
      </td>
      <td className="n" data-count={c.comparison}>
        {count(c.rows)}
      </td>
      {p.compared && (
        <td className="n dim">
          {p.was && (moved === 0 ? '·' : <b>{`${count(p.was.rows)} (${change(String(moved))})`}</b>)}
        </td>
      )}
      {(['left', 'right'] as const).map((side, i) => (
        <td key={side} className="n">
          {(c.dropped[i] ?? 0) > 0 ? (
            <button
              type="button"
              className={`link ${side === 'left' ? 'l' : 'r'}`}
              aria-label={`${c.comparison} drops ${c.dropped[i]} of the ${side}: show them`}
              onClick={() => p.choose({ comparison, dropped: true, side, tray: undefined })}
            >
              {count(c.dropped[i] ?? 0)}
            </button>
          ) : (
            <span className="dim">·</span>
          )}
        </td>
      ))}
      {[0, 1].map((i) => (
        <td key={i} className="n">
          {c.comparison === 'cross' ? (
            <span className="dim">all</span>
          ) : (c.repeated[i] ?? 0) > 0 ? (
            `+${count(c.repeated[i] ?? 0)}`
          ) : (
            <span className="dim">·</span>
          )}
        </td>
      ))}
    </tr>
  );
}
