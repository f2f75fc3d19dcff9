import { Button } from 'antd';
import { useState } from 'react';
import type { Cause, Diagnosis } from '../api/client';
import { count } from './format';
import { Key } from './Key';

/** Why the records without a partner found none: counts first, the records behind each, and what remedies it. */
export function Diagnosed(p: {
  diagnosis: Diagnosis;
  remedy?: (cause: Cause) => void; // applies the change of the sieve
  accept?: (cause: Cause) => void; // accepts what is paired with something near as the same
  trace?: (record: string) => void;
}) {
  const [left, right] = p.diagnosis.records;
  const all = (left ?? 0) + (right ?? 0);
  const [looked] = [p.diagnosis.looked.reduce((a, b) => a + b, 0)];
  if (all === 0) return <p>Every record has a partner.</p>;
  return (
    <div data-testid="diagnosis">
      <p className="say" style={{ marginTop: 0 }}>
        {count(all)} records without a partner: <span className="l">{count(left ?? 0)} left</span>,{' '}
        <span className="r">{count(right ?? 0)} right</span>. Each is counted once, under the first cause that holds for
        it.
        {looked < all && ` The first ${count(looked)} of them were looked at.`}
      </p>
      {p.diagnosis.causes.map((c) => (
        <Case key={c.id} cause={c} remedy={p.remedy} accept={p.accept} trace={p.trace} />
      ))}
    </div>
  );
}

const acceptable = ['day-off', 'day-and-month', 'exchanged', 'one-character', 'other-part'];

function Case(p: {
  cause: Cause;
  remedy?: (cause: Cause) => void;
  accept?: (cause: Cause) => void;
  trace?: (record: string) => void;
}) {
  const [open, setOpen] = useState(false);
  const c = p.cause;
  return (
    <div className="case" data-cause={c.id}>
      <div className="title" style={{ alignItems: 'baseline' }}>
        <div>
          <b>{c.says}</b>{' '}
          <span className="dim">
            <span className="l">{count(c.records[0] ?? 0)}</span> ·{' '}
            <span className="r">{count(c.records[1] ?? 0)}</span>
          </span>
          {c.remedy && <div className="dim mono">{c.remedy}</div>}
          {c.doubt && <div role="note">⚠ Doubtful: {c.doubt}.</div>}
        </div>
        <div className="acts">
          <Button size="small" type="text" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Hide' : 'Show'} the records
          </Button>
          {p.remedy && c.applied && (
            <Button size="small" type={c.doubt ? 'default' : 'primary'} onClick={() => p.remedy?.(c)}>
              {c.doubt ? 'Apply it anyway' : 'Apply the remedy'}
            </Button>
          )}
          {p.accept && acceptable.includes(c.kind) && (
            <Button size="small" onClick={() => p.accept?.(c)}>
              Accept as the same
            </Button>
          )}
        </div>
      </div>
      {open && (
        <table className="plain">
          <thead>
            <tr>
              <th>record</th>
              <th>its key</th>
              <th>near</th>
              <th>looks the same, but</th>
            </tr>
          </thead>
          <tbody>
            {c.listed.map((f) => (
              <tr key={`${f.side}-${f.number}`}>
                <td className={f.side === 'left' ? 'l' : 'r'}>
                  {p.trace ? (
                    <button type="button" className="link" onClick={() => p.trace?.(`${f.side}-${f.number}`)}>
                      {f.side} {count(f.number)}
                    </button>
                  ) : (
                    `${f.side} ${count(f.number)}`
                  )}
                </td>
                <td>
                  <Key parts={f.key} />
                </td>
                <td>
                  {f.other && (
                    <>
                      {count(f.partner ?? 0)} <Key parts={f.other} />
                    </>
                  )}
                </td>
                <td className="dim">{f.looks?.join('; ')}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
