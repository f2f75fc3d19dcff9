import { useQuery } from '@tanstack/react-query';
import { answer, api, type Entry, type RecordView, type Run } from '../api/client';
import { Cell } from '../parts/Cell';
import { change, count } from '../parts/format';
import { Total } from '../parts/Total';
import { WayLines } from '../parts/WayLines';

/** A line of the aligned view: a column of either side, or of both where they belong together. */
type Line = { left?: number; right?: number; role: string; field?: number };

/** Columns that belong together first: the key, then what is compared; then the rest of each side. */
function lines(run: Run): Line[] {
  const [left, right] = run.sides;
  const list: Line[] = [];
  const pair = (names: { left: string; right?: string }, role: string, field?: number) =>
    list.push({
      left: left.columns.indexOf(names.left),
      right: right.columns.indexOf(names.right ?? names.left),
      role,
      field,
    });
  run.definition.key.forEach((k) => pair(k, 'key'));
  (run.definition.compare ?? []).forEach((f, i) => pair(f, 'compared', i));
  const used = (side: 'left' | 'right', at: number) => list.some((l) => l[side] === at);
  const rest: Line[] = [];
  left.columns.forEach((name, at) => {
    if (used('left', at)) return;
    const same = right.columns.indexOf(name);
    rest.push({ left: at, right: same >= 0 && !used('right', same) ? same : undefined, role: '' });
  });
  right.columns.forEach((_, at) => {
    if (!used('right', at) && !rest.some((l) => l.right === at)) rest.push({ right: at, role: '' });
  });
  return [...list, ...rest];
}

/** An entry with both sides aligned field by field, and how it came where it is. Who cannot ask for its trace reads what the report says. */
export function Aligned(p: { run: Run; entry: Entry; traced: boolean; children?: React.ReactNode }) {
  const { run, entry, children } = p;
  if (entry.reject)
    return (
      <div data-testid="aligned">
        <p>
          Line {count(entry.reject.line)} of the source of <b>{run.sides[entry.side === 'left' ? 0 : 1].set}</b> is no
          record: {entry.reason}
        </p>
        <pre className="reject">{entry.reject.text}</pre>
        {children}
      </div>
    );
  const [left, right] = run.sides;
  const all = lines(run);
  const list = entry.group ? all.filter((l) => l.role) : all; // of several records the other columns say nothing together
  return (
    <div data-testid="aligned">
      <table className="plain">
        <thead>
          <tr>
            <th>columns</th>
            <th className="l">
              {left.set}
              <Where record={entry.left} all={entry.group?.records[0]} />
            </th>
            <th className="r">
              {right.set}
              <Where record={entry.right} all={entry.group?.records[1]} />
            </th>
          </tr>
        </thead>
        <tbody>
          {list.map((line, i) => {
            const outcome = line.field === undefined ? undefined : entry.fields?.[line.field];
            const names = [
              line.left !== undefined && left.columns[line.left],
              line.right !== undefined && right.columns[line.right],
            ];
            return (
              <tr key={i}>
                <td>
                  {[...new Set(names.filter(Boolean))].join(' = ')} <span className="dim">{line.role}</span>
                </td>
                <SideCell
                  record={entry.left}
                  at={line.left}
                  side="left"
                  first={i === 0}
                  span={list.length}
                  totals={outcome?.totals}
                />
                <SideCell
                  record={entry.right}
                  at={line.right}
                  side="right"
                  first={i === 0}
                  span={list.length}
                  skewed={outcome?.agrees === false}
                  totals={outcome?.totals}
                >
                  {outcome?.difference && outcome.difference !== '0' && (
                    <div className="mono">{change(outcome.difference)}</div>
                  )}
                </SideCell>
              </tr>
            );
          })}
        </tbody>
      </table>
      {entry.group && <Members run={run} group={entry.group} />}
      {entry.accepted?.kind && (
        <p>
          Paired by hand{entry.accepted.by && ` by ${entry.accepted.by}`}
          {entry.accepted.reason && `: ${entry.accepted.reason}`}{' '}
          {!entry.accepted.holds && <span className="dim">(taken back since)</span>}
        </p>
      )}
      {children}
      <h2 style={{ marginTop: 16 }}>How it came here</h2>
      <p className="dim" style={{ margin: 0 }}>
        {entry.reason}
      </p>
      <Traced run={run} entry={entry} traced={p.traced} />
    </div>
  );
}

/** The way of each record of an entry. Where its records are no longer kept, what the report says of them. */
function Traced({ run, entry, traced }: { run: Run; entry: Entry; traced: boolean }) {
  const names = [entry.left && `left-${entry.left.number}`, entry.right && `right-${entry.right.number}`].filter(
    (n): n is string => !!n,
  );
  const ways = useQuery({
    queryKey: ['way', run.id, names],
    enabled: traced,
    retry: false,
    queryFn: async () =>
      (
        await Promise.all(
          names.map((record) =>
            answer(api.GET('/api/v1/runs/{run}/trace', { params: { path: { run: run.id }, query: { record } } })),
          ),
        )
      ).flatMap((t) => t.data.ways),
  });
  if (ways.data) return ways.data.map((w) => <WayLines key={w.side} way={w} />);
  if (traced && !ways.error) return null;
  return (
    <ol className="steps">
      {entry.steps.map((step, i) => (
        <li key={i}>{step}</li>
      ))}
    </ol>
  );
}

/** The records of a group, each with its key and what is compared. */
function Members({ run, group }: { run: Run; group: NonNullable<Entry['group']> }) {
  return (
    <>
      <h2 style={{ marginTop: 16 }}>All its records</h2>
      {run.sides.map((side, s) => {
        const shown = lines(run)
          .filter((l) => l.role)
          .map((l) => (s === 0 ? l.left : l.right) ?? -1);
        const listed = group.listed[s] ?? [];
        const more = (group.records[s] ?? 0) - listed.length;
        return (
          <table className="plain" key={side.set + s} style={{ marginBottom: 8 }}>
            <thead>
              <tr>
                <th className={s === 0 ? 'l' : 'r'}>{side.set}</th>
                {shown.map((at) => (
                  <th key={at}>{side.columns[at]}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {listed.map((r) => (
                <tr key={r.number}>
                  <td className="dim">record {count(r.number)}</td>
                  {shown.map((at) => (
                    <td key={at}>
                      <Cell text={r.cells[at]} marker={r.markers?.includes(at)} />
                    </td>
                  ))}
                </tr>
              ))}
              {more > 0 && (
                <tr>
                  <td colSpan={shown.length + 1} className="dim">
                    and {count(more)} more; the hand-over has all of them
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        );
      })}
    </>
  );
}

function Where({ record, all }: { record?: RecordView; all?: number }) {
  if (!record) return null;
  if (all !== undefined && all > 1)
    return (
      <span className="dim" style={{ fontWeight: 400 }}>
        {' '}
        {count(all)} records
      </span>
    );
  return (
    <span className="dim" style={{ fontWeight: 400 }}>
      {' '}
      {record.run && `carried from run ${record.run}, `}
      {record.line ? `line ${record.line}` : `record ${record.number}`}
    </span>
  );
}

function SideCell(p: {
  record?: RecordView;
  at?: number;
  side: string;
  first: boolean;
  span: number;
  skewed?: boolean;
  totals?: string[] | null;
  children?: React.ReactNode;
}) {
  if (!p.record)
    return p.first ? (
      <td className="none" rowSpan={p.span}>
        no partner on the {p.side}
      </td>
    ) : null;
  return (
    <td className={p.skewed ? 'skewed' : undefined}>
      {p.totals && <Total totals={p.totals} side={p.side === 'left' ? 0 : 1} />}
      {p.totals ? null : p.at !== undefined ? <Cell text={p.record.cells[p.at]} /> : <span className="dim">–</span>}
      {p.children}
    </td>
  );
}
