import type { Counts } from '../api/client';
import { change, count } from '../parts/format';
import { Glyph } from '../parts/Glyph';

/** The counts after a change beside those before it: only what is not the same. */
export function Beside({ before, after, what }: { before: Counts; after: Counts; what: string }) {
  const rows: { name: string; tray?: string; was: number; is: number }[] = [];
  before.summary.trays.forEach((t, i) =>
    (['left', 'right'] as const).forEach((side, s) =>
      rows.push({
        name: `${t.tray}, ${side}`,
        tray: t.tray,
        was: t.records[s] ?? 0,
        is: after.summary.trays[i]?.records[s] ?? 0,
      }),
    ),
  );
  before.summary.comparisons.forEach((c, i) =>
    rows.push({ name: c.comparison, was: c.rows, is: after.summary.comparisons[i]?.rows ?? 0 }),
  );
  const changed = rows.filter((r) => r.was !== r.is);
  return (
    <div className="panel" data-testid="beside">
      <h2>
        Before and after <small>{what}</small>
      </h2>
      {changed.length === 0 ? (
        <p className="dim" style={{ margin: 0 }}>
          It changes no count.
        </p>
      ) : (
        <table className="plain">
          <thead>
            <tr>
              <th>count</th>
              <th className="n">before</th>
              <th className="n">after</th>
              <th className="n">change</th>
            </tr>
          </thead>
          <tbody>
            {changed.map((r) => (
              <tr key={r.name}>
                <td>
                  {r.tray && <Glyph tray={r.tray} />} {r.name}
                </td>
                <td className="n">{count(r.was)}</td>
                <td className="n">{count(r.is)}</td>
                <td className="n">{change(String(r.is - r.was))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
