import type { Summary } from '../api/client';
import { Glyph } from './Glyph';
import { amount, count, places } from './format';

const onLeft = (tray: string) => tray !== 'orphaned';
const onRight = (tray: string) => tray !== 'missing';
const paired = (tray: string) => tray === 'matched' || tray === 'differing';

const colours = ['l', 'r'];
const titles = ['left', 'right'];

const order = ['matched', 'differing', 'missing', 'orphaned', 'surplus', 'unkeyed', 'excluded'];

/** The trays with their records and amounts, of one currency; with choose, each is a door to its entries. */
export function Trays({
  summary,
  currency,
  chosen,
  choose,
}: {
  summary: Summary;
  currency?: string;
  chosen?: string;
  choose?: (tray: string) => void;
}) {
  const balance = summary.balance.find((b) => b.currency === currency) ?? summary.balance[0];
  const least = balance ? Math.max(...[...balance.trays[0], ...balance.trays[1]].map(places)) : 0;
  const rejects = (summary.rejects?.[0] ?? 0) + (summary.rejects?.[1] ?? 0); // reports of before they were counted have none
  return (
    <div className={rejects > 0 ? 'trays eight' : 'trays'} role="group" aria-label="Trays">
      {summary.trays.map((t) => {
        const at = order.indexOf(t.tray);
        const sides = [0, 1].filter((side) => (side === 0 ? onLeft(t.tray) : onRight(t.tray)));
        // One number says it for both sides, unless groups of several records were compared.
        const one = sides.length === 1 || (paired(t.tray) && t.records[0] === t.records[1]);
        const inner = (
          <>
            <span>
              <Glyph tray={t.tray} />
              {t.tray}
            </span>
            <b data-tray={t.tray}>
              {one
                ? count(t.records[sides[0]])
                : sides.map((side) => (
                    <i key={side} className={colours[side]} title={titles[side]}>
                      {count(t.records[side])}
                    </i>
                  ))}
            </b>
            {balance &&
              sides.map((side) => (
                <small key={side} className={colours[side]} title={titles[side]}>
                  {amount(balance.trays[side][at], least)} {balance.currency}
                </small>
              ))}
          </>
        );
        return choose ? (
          <button
            key={t.tray}
            type="button"
            className="tray"
            aria-pressed={chosen === t.tray}
            onClick={() => choose(t.tray)}
          >
            {inner}
          </button>
        ) : (
          <div key={t.tray} className="tray">
            {inner}
          </div>
        );
      })}
      {rejects > 0 && <Rejects rejects={summary.rejects} chosen={chosen} choose={choose} />}
    </div>
  );
}

/** The lines that are no records: they lie in no tray, and are exceptions all the same. */
function Rejects(p: { rejects: number[]; chosen?: string; choose?: (tray: string) => void }) {
  const inner = (
    <>
      <span>
        <Glyph tray="reject" />
        rejects
      </span>
      <b data-tray="reject">
        {p.rejects.map((n, side) => (
          <i key={side} className={colours[side]} title={titles[side]}>
            {count(n)}
          </i>
        ))}
      </b>
      <small>lines, no records</small>
    </>
  );
  if (!p.choose) return <div className="tray">{inner}</div>;
  return (
    <button type="button" className="tray" aria-pressed={p.chosen === 'reject'} onClick={() => p.choose?.('reject')}>
      {inner}
    </button>
  );
}
