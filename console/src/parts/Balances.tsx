import type { BalanceAmount, Summary } from '../api/client';
import { Bridge } from './Bridge';
import { amount, change, places } from './format';

/** What amounts are called that have a currency, or none. */
export const inCurrency = (currency?: string) => (currency === '' ? 'without a currency' : (currency ?? ''));

/** The balances of a summary. Where an amount is in several currencies, each has a line, and one of them is drawn. */
export function Balances(p: {
  summary: Summary;
  left: string;
  right: string;
  currency?: string;
  choose: (currency?: string) => void;
}) {
  const names = [...new Set(p.summary.balance.map((b) => b.name))];
  return (
    <>
      {names.map((name) => {
        const list = p.summary.balance.filter((b) => b.name === name);
        const shown = list.find((b) => b.currency === p.currency) ?? list[0];
        return (
          <div key={name}>
            {list.length > 1 && <Currencies list={list} shown={shown} {...p} />}
            {shown && <Bridge balance={shown} left={p.left} right={p.right} />}
          </div>
        );
      })}
      <Mixed summary={p.summary} />
    </>
  );
}

/** A warning of pairs that have matched although they are of two currencies. */
export function Mixed({ summary }: { summary: Summary }) {
  return summary.mixed ? (
    <p className="missed" role="alert">
      {summary.mixed}
    </p>
  ) : null;
}

function Currencies(p: {
  list: BalanceAmount[];
  shown?: BalanceAmount;
  left: string;
  right: string;
  choose: (currency?: string) => void;
}) {
  return (
    <section className="panel currencies">
      <h2>
        {p.list[0]?.name} <small>amounts of two currencies are never added</small>
      </h2>
      <table className="plain">
        <thead>
          <tr>
            <th>currency</th>
            <th className="n l">{p.left}</th>
            <th className="n r">{p.right}</th>
            <th className="n">right less left</th>
            <th>balance</th>
          </tr>
        </thead>
        <tbody>
          {p.list.map((b) => {
            const least = Math.max(places(b.left), places(b.right));
            return (
              <tr key={b.currency}>
                <td>
                  <button
                    type="button"
                    className="link"
                    aria-pressed={b === p.shown}
                    onClick={() => p.choose(b.currency)}
                  >
                    {inCurrency(b.currency)}
                  </button>
                </td>
                <td className="n mono l">{amount(b.left, least)}</td>
                <td className="n mono r">{amount(b.right, least)}</td>
                <td className="n mono">{change(b.difference, least)}</td>
                <td>{b.closes ? 'closes' : 'DOES NOT CLOSE'}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
