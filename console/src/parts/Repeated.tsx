import type { RepeatedKeys } from '../api/client';
import { count } from './format';
import { Key } from './Key';

/** The keys that repeat, the one that takes part in most pairs first. */
export function Repeated({ repeated }: { repeated: RepeatedKeys }) {
  const { keys, total } = repeated;
  if (total === 0) return null;
  return (
    <div className="panel">
      <h2>
        Repeated keys <small>{count(total)}, those in most pairs first</small>
      </h2>
      <table className="plain">
        <thead>
          <tr>
            <th>key</th>
            <th className="n l">left</th>
            <th className="n r">right</th>
            <th className="n">pairs</th>
          </tr>
        </thead>
        <tbody>
          {keys.slice(0, 8).map((k) => (
            <tr key={k.key.join('\u0000')}>
              <td>
                <Key parts={k.key} />
              </td>
              <td className="n">{count(k.records[0] ?? 0)}</td>
              <td className="n">{count(k.records[1] ?? 0)}</td>
              <td className="n">{count((k.records[0] ?? 0) * (k.records[1] ?? 0))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
