import { DeleteOutlined } from '@ant-design/icons';
import { Button, Input, Select } from 'antd';
import type { Field, KeyPart, SetView } from '../api/client';
import { useReadings } from '../api/queries';
import { Tags } from '../parts/Tags';
import { without } from './definition';

function RowFault({ what }: { what?: string }) {
  if (!what) return null;
  return (
    <div className="fault row" role="alert">
      {what}
    </div>
  );
}

function ColumnSelect(p: {
  side: 'left' | 'right';
  set?: SetView;
  value: string;
  choose: (name: string) => void;
  what: string;
}) {
  return (
    <Select
      aria-label={`${p.side} column of the ${p.what}`}
      className={p.side}
      showSearch
      placeholder={`${p.side} column`}
      value={p.value || undefined}
      onChange={p.choose}
      options={p.set?.snapshot.columns.map((c) => ({ value: c, label: c }))}
      popupMatchSelectWidth={false}
      notFoundContent={`Choose the ${p.side} record set first`}
    />
  );
}

const layouts = ['YYYY-MM-DD', 'DD.MM.YYYY', 'MM/DD/YYYY', 'D/M/YYYY'];

/** A chain of readings, chosen or typed. */
function Readings(p: { value?: string[]; change: (readings?: string[]) => void; what: string }) {
  const readings = useReadings();
  const choices = (readings.data ?? []).flatMap((r) =>
    r.argument
      ? ['', 'left ', 'right '].flatMap((side) =>
          layouts.map((l) => ({ value: `${side}${r.name} ${l}`, title: r.says })),
        )
      : [{ value: r.name, title: r.says }],
  );
  return (
    <Tags
      label={`readings of the ${p.what}`}
      placeholder="read as it is"
      value={p.value ?? []}
      change={(next) => p.change(next.length ? next : undefined)}
      offered={choices}
    />
  );
}

/** A pair of key columns and its readings. */
export function KeyRow(p: {
  part: KeyPart;
  left?: SetView;
  right?: SetView;
  fault?: string;
  change: (part: KeyPart) => void;
  remove?: () => void;
}) {
  return (
    <div className="pair" role="group" aria-label="key pair">
      <ColumnSelect
        side="left"
        set={p.left}
        value={p.part.left}
        choose={(left) => p.change({ ...p.part, left })}
        what="key pair"
      />
      <Readings value={p.part.readings} change={(r) => p.change(without(p.part, 'readings', r))} what="key pair" />
      <ColumnSelect
        side="right"
        set={p.right}
        value={p.part.right ?? p.part.left}
        choose={(right) => p.change({ ...p.part, right })}
        what="key pair"
      />
      <Button
        type="text"
        size="small"
        icon={<DeleteOutlined />}
        aria-label="Remove the key pair"
        onClick={p.remove}
        disabled={!p.remove}
      />
      <RowFault what={p.fault} />
    </div>
  );
}

/** A compared field: its columns, kind, tolerance and readings. */
export function FieldRow(p: {
  field: Field;
  left?: SetView;
  right?: SetView;
  fault?: string;
  change: (field: Field) => void;
  remove: () => void;
}) {
  const kind = p.field.as ?? 'text';
  return (
    <div className="pair compare" role="group" aria-label="compared field">
      <ColumnSelect
        side="left"
        set={p.left}
        value={p.field.left}
        choose={(left) => p.change({ ...p.field, left })}
        what="compared field"
      />
      <Select
        aria-label="compared as"
        showSearch
        value={kind}
        onChange={(as) =>
          p.change(
            without(
              without(p.field, 'as', as === 'text' ? undefined : as),
              'within',
              as === 'text' ? undefined : p.field.within,
            ),
          )
        }
        options={['text', 'decimal', 'date'].map((value) => ({ value, label: value }))}
      />
      <Input
        aria-label={kind === 'date' ? 'within days' : 'within'}
        placeholder={kind === 'date' ? 'days' : 'within'}
        disabled={kind === 'text'}
        value={p.field.within ?? ''}
        onChange={(event) => p.change(without(p.field, 'within', event.target.value))}
      />
      <Readings
        value={p.field.readings}
        change={(r) => p.change(without(p.field, 'readings', r))}
        what="compared field"
      />
      <ColumnSelect
        side="right"
        set={p.right}
        value={p.field.right ?? p.field.left}
        choose={(right) => p.change({ ...p.field, right })}
        what="compared field"
      />
      <Button
        type="text"
        size="small"
        icon={<DeleteOutlined />}
        aria-label="Remove the compared field"
        onClick={p.remove}
      />
      <RowFault what={p.fault} />
    </div>
  );
}
