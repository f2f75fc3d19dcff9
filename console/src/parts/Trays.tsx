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
  return (
    <div className="trays" role="group" aria-label="Trays">
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
    </div>
  );
}
