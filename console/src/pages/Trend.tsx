import { useQuery } from '@tanstack/react-query';
import { scaleBand, scaleLinear } from 'd3-scale';
import { Link } from 'react-router';
import { answer, api, type TrendRun } from '../api/client';
import { useName } from '../parts/useName';
import { Fault } from '../parts/Fault';
import { amount, count, when } from '../parts/format';
import { Glyph } from '../parts/Glyph';
import { Schedule } from '../report/Schedule';

const parts = {
  trays: [
    ['differing', 'differing', 'var(--differing)'],
    ['missing', 'missing', 'var(--left)'],
    ['orphaned', 'orphaned', 'var(--right)'],
    ['surplus', 'surplus', 'var(--matched)'],
    ['unkeyed', 'unkeyed', 'var(--grey)'],
    ['reject', 'rejects', 'var(--panel)'],
    ['absent', 'absent', 'var(--line)'],
  ],
  ages: [
    ['0', 'found in this run', 'var(--right)'],
    ['1', 'one run old', 'var(--matched)'],
    ['2', 'two runs old', 'var(--grey)'],
    ['3', 'three or more', 'var(--ink)'],
  ],
} as const;

/** How a sieve's exceptions went from run to run: by tray, by age, the amounts that are open, and how long it took to settle. */
export function TrendPage() {
  const name = useName() ?? '';
  const trend = useQuery({
    queryKey: ['trend', name],
    queryFn: async () => (await answer(api.GET('/api/v1/sieves/{name}/trend', { params: { path: { name } } }))).data,
  });
  const runs = trend.data?.runs ?? [];
  return (
    <>
      <h1>Trend</h1>
      <p className="say">
        How the exceptions of <Link to={`/sieves/of/${encodeURIComponent(name)}`}>{name}</Link> went from run to run.
      </p>
      <Fault error={trend.error} />
      {trend.data && runs.length === 0 && <p className="panel empty">It has not run yet. Run it to see how it goes.</p>}
      {runs.length > 0 && (
        <>
          <div className="two">
            <Chart title="By tray" runs={runs} parts={parts.trays} of={(r, part) => r.trays[part] ?? 0} />
            <Chart title="By age" runs={runs} parts={parts.ages} of={(r, part) => r.ages[Number(part)] ?? 0} />
          </div>
          <section className="panel">
            <table className="plain">
              <thead>
                <tr>
                  <th>run</th>
                  <th>finished</th>
                  <th className="n">exceptions</th>
                  <th className="n">open or in progress</th>
                  <th className="n">amounts open</th>
                  <th className="n">settled since the run before</th>
                  <th className="n">days until settled, the middle one</th>
                </tr>
              </thead>
              <tbody>
                {[...runs].reverse().map((r) => (
                  <tr key={r.run}>
                    <td className="one-line">
                      <Link to={`/reports/${r.run}`}>run {r.number}</Link>
                    </td>
                    <td className="one-line">{when(r.at)}</td>
                    <td className="n">{count(Object.values(r.trays).reduce((a, b) => a + b, 0))}</td>
                    <td className="n">{count(r.open)}</td>
                    <td className="n mono">
                      {r.amounts.length === 0 && '0.00'}
                      {r.amounts.map((a) => (
                        <div key={a.currency}>
                          {amount(a.amount, 2)} {a.currency}
                        </div>
                      ))}
                    </td>
                    <td className="n">{count(r.settled)}</td>
                    <td className="n">{r.settled > 0 ? r.days.toFixed(1) : '–'}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        </>
      )}
      <Schedule sieve={name} />
    </>
  );
}

const width = 520;
const height = 220;

type Part = readonly [key: string, label: string, fill: string];

/** Bars of runs, each cut into parts. The same figures are in the table below, and in words for who cannot see it. */
function Chart(p: {
  title: string;
  runs: TrendRun[];
  parts: readonly Part[];
  of: (r: TrendRun, part: string) => number;
}) {
  const sum = (r: TrendRun) => p.parts.reduce((n, [key]) => n + p.of(r, key), 0);
  const x = scaleBand(
    p.runs.map((r) => r.run),
    [30, width],
  )
    .paddingInner(0.35)
    .paddingOuter(0.2);
  const y = scaleLinear([0, Math.max(1, ...p.runs.map(sum))], [height - 24, 16]);
  const thick = Math.min(x.bandwidth(), 64);
  const words = p.runs
    .map((r) => `run ${r.number}: ${p.parts.map(([key, label]) => `${p.of(r, key)} ${label}`).join(', ')}`)
    .join('; ');
  return (
    <section className="panel">
      <h2>{p.title}</h2>
      <svg
        className="trend"
        viewBox={`0 0 ${width} ${height}`}
        width="100%"
        role="img"
        aria-label={`${p.title}. ${words}`}
      >
        {p.runs.map((r) => {
          const at = (x(r.run) ?? 0) + (x.bandwidth() - thick) / 2;
          let from = 0;
          return (
            <g key={r.run}>
              {p.parts.map(([key, label, fill]) => {
                const n = p.of(r, key);
                const top = y(from + n);
                const tall = y(from) - top;
                from += n;
                return (
                  n > 0 && (
                    <g key={key}>
                      <rect
                        x={at}
                        y={top}
                        width={thick}
                        height={Math.max(1, tall - 1)}
                        fill={fill}
                        stroke="var(--grey)"
                        strokeWidth={0.4}
                      >
                        <title>{`${count(n)} ${label}`}</title>
                      </rect>
                    </g>
                  )
                );
              })}
              <text x={at + thick / 2} y={y(from) - 5} textAnchor="middle">
                {count(from)}
              </text>
              <text className="dim" x={at + thick / 2} y={height - 7} textAnchor="middle">
                run {r.number}
              </text>
            </g>
          );
        })}
      </svg>
      <p className="dim legend">
        {p.parts.map(([key, label, fill]) => (
          <span key={key}>
            <i style={{ background: fill }} /> {p.title === 'By tray' && key !== 'absent' && <Glyph tray={key} />}{' '}
            {label}
          </span>
        ))}
      </p>
    </section>
  );
}
