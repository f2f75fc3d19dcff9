import { DeleteOutlined } from '@ant-design/icons';
import { Button, Input, Select } from 'antd';
import type { Currency, Definition, Field, SetView } from '../api/client';
import { useReadings } from '../api/queries';
import { Tags } from '../parts/Tags';
import { without } from './definition';
import { Try } from './Try';

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

/** What may stand behind a reading's name, where a few things are usual; any other is typed. */
const usual: Record<string, string[]> = {
  date: [...layouts, 'serial'],
  time: [...layouts.map((l) => `${l} hh:mm`), 'serial'],
  number: ['', 'comma', 'point', 'comma brackets trailing-minus currency'],
  'normal-form': ['NFC', 'NFKC'],
  first: ['3', '8'],
  last: ['3', '4'],
  'yes-no': ['', 'ja/nej'],
};
const oneSided = ['date', 'time', 'number'];

/** A chain of readings, chosen or typed. */
function Readings(p: { value?: string[]; change: (readings?: string[]) => void; what: string; draft: Definition }) {
  const readings = useReadings();
  const choices = (readings.data ?? []).flatMap((r) => {
    const behind =
      r.name === 'lookup'
        ? (p.draft.lookups ?? []).map((l) => l.name)
        : (usual[r.name] ?? (r.argument && !r.optional ? [] : ['']));
    const sides = oneSided.includes(r.name) ? ['', 'left ', 'right '] : [''];
    return sides.flatMap((side) =>
      behind.map((argument) => ({ value: `${side}${r.name} ${argument}`.trim(), title: r.says })),
    );
  });
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

/** The right column: where none is chosen yet, the one that is called as the left one, if the right set has it. */
const rightOf = (right: string | undefined, left: string, set?: SetView) =>
  right === '' && set?.snapshot.columns.includes(left) ? left : right;

/** A pair of columns with its readings: a part of the key, or what says the currency of amounts. */
export function PairRow<T extends Currency>(p: {
  what: 'key pair' | 'currency';
  part: T;
  draft: Definition;
  at?: number; // which part of the key it is
  left?: SetView;
  right?: SetView;
  fault?: string;
  change: (part: T) => void;
  remove?: () => void;
}) {
  return (
    <div className="pair" role="group" aria-label={p.what}>
      <ColumnSelect
        side="left"
        set={p.left}
        value={p.part.left}
        choose={(left) => p.change({ ...p.part, left, right: rightOf(p.part.right, left, p.right) })}
        what={p.what}
      />
      <Readings
        value={p.part.readings}
        change={(r) => p.change(without(p.part, 'readings', r))}
        what={p.what}
        draft={p.draft}
      />
      <ColumnSelect
        side="right"
        set={p.right}
        value={p.part.right ?? p.part.left}
        choose={(right) => p.change({ ...p.part, right })}
        what={p.what}
      />
      {p.at === undefined ? (
        <span />
      ) : (
        <Try draft={p.draft} place={{ of: 'key', part: p.at }} readings={p.part.readings ?? []} />
      )}
      <Button
        type="text"
        size="small"
        icon={<DeleteOutlined />}
        aria-label={`Remove the ${p.what}`}
        onClick={p.remove}
        disabled={!p.remove}
      />
      <RowFault what={p.fault} />
    </div>
  );
}

const kinds = ['text', 'decimal', 'date', 'time', 'boolean', 'similar'];
const within: Record<string, string> = { date: 'within days', similar: 'at least' };
const hints: Record<string, string> = {
  decimal: 'the greatest difference that agrees: 0.05, or 2%, or 0.05 or 2%',
  date: 'days',
  time: '90 s, 15 min, 2 h or 1 d',
  similar: 'the part of the text that has to be alike, up to 1',
};

/** A compared field: its columns, kind, tolerance and readings. */
export function FieldRow(p: {
  field: Field;
  draft: Definition;
  at: number;
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
        choose={(left) => p.change({ ...p.field, left, right: rightOf(p.field.right, left, p.right) })}
        what="compared field"
      />
      <Select
        aria-label="compared as"
        showSearch
        value={kind}
        onChange={(as) => {
          const next = without(p.field, 'as', as === 'text' ? undefined : as);
          p.change(without(without(next, 'within', undefined), 'atLeast', as === 'similar' ? '0.9' : undefined));
        }}
        options={kinds.map((value) => ({ value, label: value }))}
      />
      <Input
        aria-label={within[kind] ?? 'within'}
        placeholder={within[kind] ?? 'within'}
        title={hints[kind]}
        disabled={kind === 'text' || kind === 'boolean'}
        value={(kind === 'similar' ? p.field.atLeast : p.field.within) ?? ''}
        onChange={(event) => p.change(without(p.field, kind === 'similar' ? 'atLeast' : 'within', event.target.value))}
      />
      <Readings
        value={p.field.readings}
        change={(r) => p.change(without(p.field, 'readings', r))}
        what="compared field"
        draft={p.draft}
      />
      <ColumnSelect
        side="right"
        set={p.right}
        value={p.field.right ?? p.field.left}
        choose={(right) => p.change({ ...p.field, right })}
        what="compared field"
      />
      <Try draft={p.draft} place={{ of: 'compare', part: p.at }} readings={p.field.readings ?? []} />
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
