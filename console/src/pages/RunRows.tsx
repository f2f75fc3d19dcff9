import { Link, useLocation, useParams, useSearchParams } from 'react-router';
import type { Alignment, Look, Run } from '../api/client';
import { useRun } from '../api/queries';
import { Carried } from '../parts/Carried';
import { Loaded } from '../parts/Loaded';
import { AlignChoice } from '../rows/AlignChoice';
import { Apart } from '../rows/Apart';
import { turned, wholes } from '../rows/look';
import { RowsPanel } from '../rows/RowsPanel';
import { SaveRows } from '../rows/SaveRows';
import { ComparisonChoice } from '../rows/ComparisonChoice';
import { Signed } from '../report/SignOff';

/** The rows of every comparison of a run. */
export function RunRows() {
  const run = useRun(Number(useParams().run));
  return <Loaded of={run}>{(run) => <RowsOf run={run} />}</Loaded>;
}

/** The rows that an address asks for. */
function lookOf(params: URLSearchParams): Look {
  const all: Look = { comparison: 'full' };
  try {
    return { ...all, ...(JSON.parse(params.get('look') ?? '{}') as Partial<Look>) };
  } catch {
    return all; // somebody has changed the address by hand
  }
}

function RowsOf({ run }: { run: Run }) {
  // What is looked at stands in the address, so that it can be sent to somebody, and the browser's back button works.
  const [params, setParams] = useSearchParams();
  let look = lookOf(params);
  const confirmed = (useLocation().state as { confirm?: boolean } | null)?.confirm;
  if (confirmed) look = { ...look, confirm: true };
  const show = (next: Look) => {
    // A confirmation is given each time anew.
    setParams({ look: JSON.stringify({ ...next, confirm: undefined }) }, { state: { confirm: next.confirm } });
  };
  const change = (part: Partial<Look>) => show({ ...look, ...part });
  const [left, right] = run.sides;
  const sides = look.swap ? [right, left] : [left, right];
  const sets = [sides[0].set, sides[1].set] as [string, string];
  const ask = { run: run.id, look };
  return (
    <>
      <Signed run={run.id} />
      <div className="title">
        <div>
          <h1>Rows of {run.sieve}</h1>
          <p className="say">
            <Link to={`/reports/${run.id}`}>run {run.number}</Link> · <span className="l">{sets[0]}</span> and{' '}
            <span className="r">{sets[1]}</span>
            <Carried run={run} />
          </p>
        </div>
      </div>
      <div className="choices">
        <ComparisonChoice look={look} choose={(to) => show(turned(look, to))} />
        {wholes.includes(look.comparison) && !look.dropped && (
          <AlignChoice
            align={look.align ?? {}}
            left={sides[0].columns}
            right={sides[1].columns}
            suggested={[...run.definition.key, ...(run.definition.compare ?? [])].map((p) => ({
              left: p.left,
              right: p.right,
              as: undefined,
            }))}
            change={(align: Alignment | undefined) => change({ align })}
          />
        )}
      </div>
      {look.comparison === 'separate' && !look.tray ? (
        <Apart key={`${look.swap ?? false}`} ask={ask} sets={sets} keep={(kept) => change({ kept })} />
      ) : (
        <RowsPanel
          ask={ask}
          change={change}
          acts={<SaveRows sieve={run.sieve} run={run.id} look={look} />}
          height={460}
        />
      )}
    </>
  );
}
