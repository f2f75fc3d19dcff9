import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { answer, api } from '../api/client';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { WayLines } from '../parts/WayLines';

/** The way of every record that has a key, in the newest run of each sieve. */
export function Trace() {
  const [params] = useSearchParams();
  const key = params.get('key') ?? '';
  const looked = useQuery({
    queryKey: ['trace', key],
    enabled: key !== '',
    retry: false,
    queryFn: async ({ signal }) =>
      (await answer(api.GET('/api/v1/traces', { params: { query: { key } }, signal }))).data.runs,
  });
  const found = looked.data?.filter((r) => r.ways.length > 0) ?? [];
  return (
    <>
      <h1>Trace of {key || 'a key'}</h1>
      <p className="say">
        Why a record is where it is, in the newest run of every sieve. Any part of a key will do, as either side writes
        it; with · between them, several parts.
      </p>
      <Fault error={looked.error} />
      {looked.isFetching && <p className="dim">Looking…</p>}
      {looked.data && found.length === 0 && (
        <p className="panel empty">No record has this in its key, in the newest run of any sieve.</p>
      )}
      {found.map((r) => (
        <section className="panel" key={r.run} data-testid="traces">
          <h2>
            <Link to={`/reports/${r.run}`}>{r.sieve}</Link>{' '}
            <small>
              {count(r.found[0] ?? 0)} left, {count(r.found[1] ?? 0)} right
              {r.ways.length < r.found.reduce((a, b) => a + b, 0) && `; the first ${r.ways.length} are shown`}
            </small>
          </h2>
          {r.ways.map((w) => (
            <WayLines key={`${w.side} ${w.number}`} way={w} />
          ))}
        </section>
      ))}
    </>
  );
}
