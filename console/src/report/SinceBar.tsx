import { Link } from 'react-router';
import type { Run } from '../api/client';
import { count } from '../parts/format';
import { changes, changeSays, changeWords } from './query';

/** What has become of the exceptions since the run before. Each part is a door to its entries. */
export function SinceBar(p: { run: Run; chosen: string; choose: (change: string) => void }) {
  const since = p.run.since;
  if (!since) return null;
  return (
    <section className="since" aria-label="Since the run before">
      <span className="dim">
        Since <Link to={`/reports/${since.run}`}>run {since.number}</Link>
      </span>
      {changes.map((c) => (
        <button
          key={c}
          type="button"
          className={`mark ${c}`}
          title={`${changeWords[c]}: ${changeSays[c]}`}
          aria-pressed={p.chosen === c}
          disabled={!since.counts[c]}
          onClick={() => p.choose(p.chosen === c ? '' : c)}
        >
          <b data-change={c}>{count(since.counts[c] ?? 0)}</b> {changeWords[c]}
        </button>
      ))}
      {(since.retired ?? 0) > 0 && (
        <span className="dim" title="They are closed: the sieve's new key cannot produce them.">
          {count(since.retired ?? 0)} of these retired: the sieve’s key has changed
        </span>
      )}
      <Link className="door-link" to={`/sieves/of/${encodeURIComponent(p.run.sieve)}/trend`}>
        Trend over all runs
      </Link>
    </section>
  );
}
