import { Button, Select } from 'antd';
import type { ReactNode } from 'react';
import type { Control } from '../api/client';
import { Choice } from '../parts/Choice';
import { NumberChoice } from '../parts/NumberChoice';
import { TextChoice } from '../parts/TextChoice';

/** What the sender stated: typed in, and where a trailer line says it. */
export type Stated = {
  count: string;
  totals: { column?: string; total: string }[];
  trailer?: Control['trailer'];
};

export const nothingStated: Stated = { count: '', totals: [{ total: '' }] };

/** A whole number as people write it, perhaps with marks between its thousands. */
const whole = /^(\d+|\d{1,3}([\s,.'’]\d{3})+)$/;

/** What is wrong with what was stated, in words; nothing where it can be held against the file. */
export function wrongOf(s: Stated): string | undefined {
  const count = s.count.trim();
  if (count && !whole.test(count)) return `“${count}” is not a number of records; write one such as 1225.`;
  const open = s.totals.find((t) => t.column && !t.total.trim());
  if (open) return `The total of ${open.column} is not stated; write it, or choose no column.`;
  const loose = s.totals.find((t) => !t.column && t.total.trim());
  if (loose) return `It is not stated which column comes to ${loose.total.trim()}; choose one, or clear the total.`;
  return undefined;
}

/** The control figures of what was stated, or none. Of a trailer line, only what is on screen: cells, or places in fixed-width text. */
export function controlOf(s: Stated, fixed: boolean): Control | undefined {
  const control: Control = {};
  if (s.count.trim()) control.count = Number(s.count.replace(/\D/g, ''));
  const totals = s.totals.flatMap((t) =>
    t.total.trim() && t.column ? [{ column: t.column, total: t.total.trim() }] : [],
  );
  if (totals.length > 0) control.totals = totals;
  if (s.trailer) {
    const { starts, column, count, total, countAt, totalAt } = s.trailer;
    control.trailer = { starts, column, ...(fixed ? { countAt, totalAt } : { count, total }) };
  }
  return Object.keys(control).length ? control : undefined;
}

/** The figures that came with the file: how many records, the totals of columns, and the line that states them. */
export function ControlFields(p: {
  columns: string[];
  footers: string[];
  trailer: boolean;
  /** Text whose columns stand at places, as do the figures of its trailer line. */
  fixed: boolean;
  stated: Stated;
  change: (s: Stated) => void;
}) {
  const { stated } = p;
  const setTotal = (at: number, part: Partial<Stated['totals'][number]>) =>
    p.change({ ...stated, totals: stated.totals.map((t, i) => (i === at ? { ...t, ...part } : t)) });
  const column = (label: string, value: string | undefined, change: (column?: string) => void) => (
    <Select
      size="small"
      allowClear
      style={{ minWidth: 120 }}
      aria-label={label}
      placeholder="column"
      value={value}
      onChange={change}
      options={p.columns.map((name) => ({ value: name, label: name }))}
      popupMatchSelectWidth={false}
    />
  );
  return (
    <>
      <div className="choices">
        <TextChoice
          label="the sender states records"
          name="records that the sender states"
          placeholder="not stated"
          width={110}
          value={stated.count}
          change={(count) => p.change({ ...stated, count })}
        />
        {stated.totals.map((t, at) => (
          <div key={at} className="choices" style={{ margin: 0 }}>
            <Choice label="and a total of">
              {column('column of the total', t.column, (name) => setTotal(at, { column: name }))}
            </Choice>
            <TextChoice
              label="which is"
              name="total that the sender states"
              placeholder="not stated"
              value={t.total}
              change={(total) => setTotal(at, { total })}
            />
          </div>
        ))}
        <div className="acts" style={{ alignItems: 'end' }}>
          {stated.totals.at(-1)?.column && (
            <Button size="small" onClick={() => p.change({ ...stated, totals: [...stated.totals, { total: '' }] })}>
              Another total
            </Button>
          )}
          {p.trailer && !stated.trailer && (
            <Button
              size="small"
              onClick={() => p.change({ ...stated, trailer: { starts: p.footers[0]?.split(/[;,|\t ]/)[0] ?? '' } })}
            >
              A line of the file states them
            </Button>
          )}
        </div>
      </div>
      {wrongOf(stated) && (
        <div className="fault" role="alert">
          {wrongOf(stated)}
        </div>
      )}
      {stated.trailer && (
        <Trailer
          fixed={p.fixed}
          trailer={stated.trailer}
          column={column}
          change={(trailer) => p.change({ ...stated, trailer })}
        />
      )}
    </>
  );
}

/** Where a trailer line states figures. Its cells, or places in fixed-width text, are counted from 1. */
function Trailer(p: {
  fixed: boolean;
  trailer: NonNullable<Stated['trailer']>;
  column: (label: string, value: string | undefined, change: (column?: string) => void) => ReactNode;
  change: (trailer: Stated['trailer']) => void;
}) {
  const t = p.trailer;
  return (
    <div className="choices">
      <TextChoice label="the line begins with" value={t.starts} change={(starts) => p.change({ ...t, starts })} />
      {p.fixed ? (
        <>
          <TextChoice
            label="its places with the count"
            placeholder="such as 9-14"
            value={t.countAt ?? ''}
            change={(countAt) => p.change({ ...t, count: undefined, countAt: countAt || undefined })}
          />
          <TextChoice
            label="its places with a total"
            placeholder="such as 15-24"
            value={t.totalAt ?? ''}
            change={(totalAt) => p.change({ ...t, total: undefined, totalAt: totalAt || undefined })}
          />
        </>
      ) : (
        <>
          <NumberChoice
            label="its cell with the count"
            placeholder="none"
            value={t.count}
            change={(count) => p.change({ ...t, countAt: undefined, count })}
          />
          <NumberChoice
            label="its cell with a total"
            placeholder="none"
            value={t.total}
            change={(total) => p.change({ ...t, totalAt: undefined, total })}
          />
        </>
      )}
      <Choice label="which is that of">
        {p.column('column of the total in the line', t.column, (column) => p.change({ ...t, column }))}
      </Choice>
      <div className="acts" style={{ alignItems: 'end' }}>
        <Button size="small" onClick={() => p.change(undefined)}>
          No line does
        </Button>
      </div>
    </div>
  );
}
