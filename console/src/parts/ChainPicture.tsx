import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { answer, api, type ChainNode } from '../api/client';
import { Fault } from './Fault';
import { count } from './format';

/** What a sieve is made from and what is made from it, from left to right; nothing where it stands alone. */
export function ChainPicture({ sieve }: { sieve: string }) {
  const chain = useQuery({
    queryKey: ['chain', sieve],
    queryFn: async () =>
      (await answer(api.GET('/api/v1/sieves/{name}/chain', { params: { path: { name: sieve } } }))).data,
  });
  if (chain.error) return <Fault error={chain.error} />;
  const nodes = chain.data?.nodes ?? [];
  if (nodes.filter((n) => n.kind === 'sieve').length < 2 && !nodes.some((n) => n.kind === 'set' && n.from.length > 0))
    return null;
  const levels = Math.max(...nodes.map((n) => n.level)) + 1;
  return (
    <section className="panel" data-testid="chain">
      <h2>
        Chain <small>a run of a sieve brings what stands before it up to date</small>
      </h2>
      <ol className="chain">
        {Array.from({ length: levels }, (_, level) => (
          <li key={level}>
            {nodes
              .filter((n) => n.level === level)
              .map((n) => (
                <Node key={`${n.kind} ${n.name}`} node={n} here={n.kind === 'sieve' && n.name === sieve} />
              ))}
          </li>
        ))}
      </ol>
    </section>
  );
}

function Node({ node: n, here }: { node: ChainNode; here: boolean }) {
  const to = n.kind === 'set' ? `/sets/${encodeURIComponent(n.name)}` : `/sieves/of/${encodeURIComponent(n.name)}`;
  const newest =
    n.number === 0
      ? 'none yet'
      : n.kind === 'set'
        ? `snapshot ${n.number}, ${count(n.count)} records`
        : `run ${n.number}, ${count(n.count)} exceptions`;
  return (
    <div className={`node ${n.kind}${here ? ' here' : ''}${n.stale ? ' stale' : ''}`}>
      <span className="dim">{n.kind === 'set' ? 'record set' : 'sieve'}</span> <Link to={to}>{n.name}</Link>
      <div className="dim">
        {n.run ? <Link to={`/reports/${n.run}`}>{newest}</Link> : newest}
        {n.from.length > 0 && <> · from {n.from.join(', ')}</>}
      </div>
      {n.stale && <div className="missed">not up to date: {n.stale}</div>}
    </div>
  );
}
