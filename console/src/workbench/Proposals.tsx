import { Button } from 'antd';
import { answer, api, type Definition, type KeyPart } from '../api/client';
import { useAsk } from '../api/useAsk';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { JobBar } from '../parts/JobBar';

const named = (k: KeyPart) => (k.right && k.right !== k.left ? `${k.left} = ${k.right}` : k.left);
const percent = (share: number) => `${Math.round(100 * share)} %`;

/** Which columns could make two records the same, with the evidence; a key is taken with one press. */
export function Proposals({ draft, take }: { draft: Definition; take: (key: KeyPart[]) => void }) {
  const { left, right } = draft;
  const { ask, job, result, failed, forget } = useAsk([left, right], (j) => j.result?.advice);
  return (
    <section className="panel" aria-label="Key advice">
      <div className="title" style={{ alignItems: 'center' }}>
        <h2 style={{ margin: 0 }}>
          Key advice <small>which columns could make two records the same</small>
        </h2>
        <div className="acts">
          {result && (
            <Button size="small" type="text" onClick={forget}>
              Close the advice
            </Button>
          )}
          <Button
            size="small"
            disabled={!left || !right}
            onClick={() =>
              void ask(async () => (await answer(api.POST('/api/v1/advices', { body: { left, right } }))).data)
            }
          >
            Advise me
          </Button>
        </div>
      </div>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
      {result && (
        <div data-testid="advice">
          {result.keys.length === 0 && <p>No column of the one side has values that a column of the other has.</p>}
          {result.keys.map((k, i) => (
            <div className="case" key={i} data-key={k.key.map(named).join(', ')}>
              <div className="title" style={{ alignItems: 'baseline' }}>
                <div>
                  <b>{k.key.map(named).join(', ')}</b>
                  <div className="dim">{k.says}</div>
                  <div className="dim">{k.agrees}</div>
                  {k.warnings.map((w) => (
                    <div key={w} className="missed">
                      {w}
                    </div>
                  ))}
                </div>
                <Button size="small" type={i === 0 ? 'primary' : 'default'} onClick={() => take(k.key)}>
                  Take key {i + 1}
                </Button>
              </div>
            </div>
          ))}
          <details>
            <summary>The evidence, column by column</summary>
            <table className="plain">
              <thead>
                <tr>
                  <th>columns</th>
                  <th>readings</th>
                  {['left', 'right'].map((side) => (
                    <th key={side} className={side === 'left' ? 'l n' : 'r n'} colSpan={4}>
                      {side}: found on the other · different · unique · blank
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {result.pairs.map((p) => (
                  <tr key={named(p.part)}>
                    <td>{named(p.part)}</td>
                    <td className="mono">{p.part.readings?.join(', ')}</td>
                    {p.sides.flatMap((s, i) => [
                      <td key={`${i}f`} className="n">
                        {percent(s.found)}
                      </td>,
                      <td key={`${i}d`} className="n">
                        {count(s.distinct)}
                      </td>,
                      <td key={`${i}u`} className="n">
                        {count(s.unique)}
                      </td>,
                      <td key={`${i}b`} className="n">
                        {count(s.blank)}
                      </td>,
                    ])}
                  </tr>
                ))}
              </tbody>
            </table>
          </details>
        </div>
      )}
    </section>
  );
}
