import { Input, Select } from 'antd';
import type { Control } from '../api/client';
import { Choice } from './Choice';

/** What the sender stated, typed in. */
export type Stated = { count: string; column?: string; total: string };

export const nothingStated: Stated = { count: '', total: '' };

/** The control figures of what was typed in, or none. */
export function controlOf(s: Stated): Control | undefined {
  const control: Control = {};
  if (s.count.trim()) control.count = Number(s.count.replace(/[\s,.']/g, ''));
  if (s.total.trim() && s.column) control.totals = [{ column: s.column, total: s.total.trim() }];
  return Object.keys(control).length ? control : undefined;
}

/** The figures that came with the file: how many records, and the total of a column. */
export function ControlFields(p: { columns: string[]; stated: Stated; change: (s: Stated) => void }) {
  return (
    <div className="choices">
      <Choice label="the sender states records">
        <Input
          size="small"
          style={{ width: 110 }}
          aria-label="records that the sender states"
          placeholder="not stated"
          value={p.stated.count}
          onChange={(event) => p.change({ ...p.stated, count: event.target.value })}
        />
      </Choice>
      <Choice label="and a total of">
        <Select
          size="small"
          allowClear
          style={{ minWidth: 120 }}
          aria-label="column of the total"
          placeholder="column"
          value={p.stated.column}
          onChange={(column?: string) => p.change({ ...p.stated, column })}
          options={p.columns.map((value) => ({ value, label: value }))}
          popupMatchSelectWidth={false}
        />
      </Choice>
      <Choice label="which is">
        <Input
          size="small"
          style={{ width: 130 }}
          aria-label="total that the sender states"
          placeholder="not stated"
          disabled={!p.stated.column}
          value={p.stated.total}
          onChange={(event) => p.change({ ...p.stated, total: event.target.value })}
        />
      </Choice>
    </div>
  );
}
