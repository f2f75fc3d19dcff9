import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { answer, api } from '../api/client';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';

/** What is different between a set's newest snapshot and the one before, and which sieves that touches. */
export function Changed({ name, snapshot }: { name: string; snapshot: number }) {
  const changes = useQuery({
    queryKey: ['changes', name, snapshot],
    queryFn: async () => (await answer(api.GET('/api/v1/sets/{name}/changes', { params: { path: { name } } }))).data,
  });
  const c = changes.data;
  if (!c) return <Fault error={changes.error} />;
  if (c.from === 0 || c.to !== snapshot) return null; // another has come, which the page does not show yet
  const more = c.records[1]! - c.records[0]!;
  const broken = c.sieves.filter((s) => !s.runs);
  return (
    <section className="panel" aria-label="What changed">
      <h2>
        What changed{' '}
        <small>
          from snapshot {c.from} to {c.to}
        </small>
      </h2>
      <ul className="notes">
        {c.same && <li>Nothing: the content is the same.</li>}
        {!c.same && (
          <li>
            {count(c.records[0]!)} → {count(c.records[1]!)} records,{' '}
            {more === 0 ? 'as many as before' : `${count(Math.abs(more))} ${more > 0 ? 'more' : 'fewer'}`};{' '}
            {count(c.rejects[0]!)} → {count(c.rejects[1]!)} rejects
          </li>
        )}
        {c.renamed.map((r) => (
          <li key={r.before}>
            column <span className="mono">{r.before}</span> seems to be called <span className="mono">{r.after}</span>{' '}
            now
          </li>
        ))}
        {c.new.length > 0 && (
          <li>
            new columns: <span className="mono">{c.new.join(', ')}</span>
          </li>
        )}
        {c.gone.length > 0 && (
          <li>
            columns that are gone: <span className="mono">{c.gone.join(', ')}</span>
          </li>
        )}
        {c.retyped.map((r) => (
          <li key={r.column}>
            <span className="mono">{r.column}</span> read as {r.before} and reads as {r.after} now
          </li>
        ))}
        {c.sieves.length > 0 && broken.length === 0 && (
          <li>every sieve over it can run: {c.sieves.map((s) => s.sieve).join(', ')}</li>
        )}
        {broken.map((s) => (
          <li key={s.sieve} className="missed">
            ✗ the sieve <Link to={`/sieves/of/${encodeURIComponent(s.sieve)}`}>{s.sieve}</Link> cannot run:{' '}
            {s.faults.map((f) => f.what).join('; ')}
          </li>
        ))}
      </ul>
    </section>
  );
}
