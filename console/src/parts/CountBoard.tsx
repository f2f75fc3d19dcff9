import type { Summary } from '../api/client';
import { count } from './format';

/** The exact rows of every comparison. */
export function CountBoard({ summary }: { summary: Summary }) {
  return (
    <div className="panel">
      <h2>
        Count board <small>exact rows of every comparison</small>
      </h2>
      <table className="plain" data-testid="count-board">
        <tbody>
          {summary.comparisons.map((c) => (
            <tr key={c.comparison}>
              <td>{c.comparison}</td>
              <td className="dim">{c.says}</td>
              <td className="n" data-count={c.comparison}>
                {count(c.rows)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="dim" style={{ margin: '6px 0 0' }}>
        Keys are {summary.relation}: {count(summary.keys.shared)} on both sides, {count(summary.keys.repeated[0])}{' '}
        repeated on the left, {count(summary.keys.repeated[1])} on the right.
      </p>
    </div>
  );
}
