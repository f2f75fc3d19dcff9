import { Button, Checkbox } from 'antd';
import { useEffect, useState, type ReactNode } from 'react';
import { answer, api, ProblemError, type Ask, type Look, type Row } from '../api/client';
import { useAsk } from '../api/useAsk';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { HandOver } from '../parts/HandOver';
import { JobBar } from '../parts/JobBar';
import { ColumnsChoice } from './ColumnsChoice';
import { FilterField } from './FilterField';
import { LabelsChoice } from './LabelsChoice';
import { tidy } from './look';
import { RowsTable } from './RowsTable';
import { useRows } from './useRows';

const pageSize = 50;

/** The rows of what is asked: filtered, sorted, narrowed, added up and handed over. */
export function RowsPanel(p: {
  ask: Ask;
  change: (part: Partial<Look>) => void;
  title?: ReactNode;
  acts?: ReactNode;
  unsaid?: boolean; // the sentence stands elsewhere
  select?: { chosen: number[]; choose: (records: number[]) => void; side: 'left' | 'right' };
  height?: number;
}) {
  const look = p.ask.look;
  const asked = JSON.stringify(tidy({ ...p.ask, look: { ...look, columns: undefined, labels: undefined } }));
  const [at, setAt] = useState({ asked, first: 0 });
  const first = at.asked === asked ? at.first : 0; // another question begins at its first row
  const rows = useRows(p.ask, first, pageSize);
  const [summed, setSummed] = useState(false);
  const question = JSON.stringify(tidy(p.ask));
  const sums = useAsk(question, (job) => job.result?.totals);
  useEffect(() => {
    if (summed) void sums.ask(async () => (await answer(api.POST('/api/v1/rows/totals', { body: tidy(p.ask) }))).data);
    else sums.forget();
    // The question is all that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [summed, question]);
  const data = rows.error && !rows.shown ? undefined : rows.data;
  // The columns stay at hand where something is wrong with what is chosen of them, so that it can be mended.
  const [all, setAll] = useState(data?.all);
  if (data && data.all !== all) setAll(data.all);
  const numbers = data?.columns.some((c) => c.number);
  // Another comparison may have other columns than those that stand here until its rows come.
  const known = !!rows.of && columnsBy(rows.of) === columnsBy(p.ask);
  return (
    <section className="panel rows" data-testid="rows" data-asked={question} data-first={first}>
      <div className="title" style={{ alignItems: 'center', marginBottom: 6 }}>
        {p.title}
        <div className="acts">
          {all && <ColumnsChoice look={look} all={all} change={p.change} />}
          <LabelsChoice look={look} change={p.change} />
          {numbers && (
            <Checkbox checked={summed} onChange={(event) => setSummed(event.target.checked)}>
              totals
            </Checkbox>
          )}
          {p.acts}
          <HandOver
            size="small"
            what="Hand these over"
            at="/api/v1/rows/export"
            filter={new URLSearchParams({ ask: question })}
          />
        </div>
      </div>
      {!p.unsaid && (
        <p className="say" data-testid="says" aria-live="polite">
          {rows.shown && data?.sentence}
        </p>
      )}
      {rows.shown &&
        data?.warnings.map((w) => (
          <p key={w} className="missed" role="alert">
            {w}
          </p>
        ))}
      <div className="choices" style={{ margin: '6px 0' }}>
        <FilterField
          label="Only rows for which"
          placeholder="only rows for which …"
          value={look.where ?? ''}
          take={(where) => p.change({ where: where || undefined })}
          ask={p.ask}
        />
      </div>
      {rows.shown && data?.left && data.left.rows > 0 && (
        <p className="say">
          The filter leaves out {count(data.left.rows)} rows
          {data.left.lonely > 0 && `, ${count(data.left.lonely)} of them without a partner`}
          {data.left.undecided > 0 && `; for ${count(data.left.undecided)} it could not be decided (${data.left.why})`}.
        </p>
      )}
      {rows.job && <JobBar job={rows.job} />}
      {sums.job && <JobBar job={sums.job} />}
      <Fault error={sums.failed} />
      <Multiplies error={rows.error} confirm={() => p.change({ confirm: true })} />
      {data && (
        <RowsTable
          rows={rows.shown ? data : { ...data, first, rows: [], total: rows.same ? data.total : 0 }}
          loading={!rows.shown}
          size={pageSize}
          turn={(first) => setAt({ asked, first })}
          sort={look.sort ?? []}
          sortBy={known ? (sort) => p.change({ sort: sort.length ? sort : undefined }) : undefined}
          totals={summed ? sums.result : undefined}
          height={p.height}
          selection={
            p.select && {
              selectedRowKeys: data.rows
                .filter((r) => p.select!.chosen.includes(numberOf(r, p.select!.side)))
                .map(keyOf),
              onChange: (_, selected) => {
                const here = data.rows.map((r) => numberOf(r, p.select!.side));
                const now = selected.map((r) => numberOf(r, p.select!.side));
                p.select!.choose([...p.select!.chosen.filter((n) => !here.includes(n)), ...now]);
              },
              getCheckboxProps: (r) =>
                ({ 'aria-label': `choose ${p.select!.side} record ${numberOf(r, p.select!.side)}` }) as object,
            }
          }
        />
      )}
    </section>
  );
}

/** All of a question that its columns depend on. */
const columnsBy = (ask: Ask) =>
  JSON.stringify(tidy({ ...ask, look: { ...ask.look, sort: undefined, where: undefined } }));

const keyOf = (r: Row) => `${r.left ?? 0} ${r.right ?? 0}`;

const numberOf = (r: Row, side: 'left' | 'right') => r[side] ?? 0;

/** What went wrong; where records would be multiplied beyond the limit, with the keys that do so most and a way to go on. */
function Multiplies({ error, confirm }: { error: unknown; confirm: () => void }) {
  if (!(error instanceof ProblemError) || error.problem.type !== '/problems/multiplies') return <Fault error={error} />;
  return (
    <div className="fault" role="alert">
      {error.problem.detail}
      <ul className="notes">
        {error.problem.faults?.slice(1).map((f) => (
          <li key={f.what}>{f.what}</li>
        ))}
      </ul>
      <Button size="small" onClick={confirm}>
        Show them all the same
      </Button>
    </div>
  );
}
