import type { Counts } from '../api/client';
import { count } from '../parts/format';

/** Why records have no key, and which compared values are not what they should be. */
export function Causes({ counts }: { counts: Counts }) {
  const rows = (['unkeyed', 'values'] as const).flatMap((what) =>
    counts.sides.flatMap((side, s) =>
      (counts.summary[what][s] ?? [])
        .filter((c) => c.blank + c.emptied + c.unreadable > 0)
        .map((c) => ({ ...c, what: what === 'unkeyed' ? 'leaves records unkeyed' : 'compared', set: side.set, s })),
    ),
  );
  return (
    <div className="panel">
      <h2>
        Blank and unreadable <small>by pair of columns</small>
      </h2>
      {rows.length === 0 && <p className="dim">Every key part and compared value is there and can be read.</p>}
      {rows.length > 0 && (
        <table className="plain">
          <thead>
            <tr>
              <th>columns</th>
              <th>side</th>
              <th className="n">blank</th>
              <th className="n">emptied</th>
              <th className="n">unreadable</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((c, i) => (
              <tr key={i}>
                <td>
                  {c.name} <span className="dim">{c.what}</span>
                </td>
                <td className={c.s === 0 ? 'l' : 'r'}>{c.set}</td>
                <td className="n">{count(c.blank)}</td>
                <td className="n">{count(c.emptied)}</td>
                <td className="n">{count(c.unreadable)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
