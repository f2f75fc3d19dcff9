import { ArrowDownOutlined, ArrowUpOutlined } from '@ant-design/icons';
import { Button, Checkbox, Popover, Radio } from 'antd';
import { useState } from 'react';
import type { Look, RowColumn } from '../api/client';
import { WrittenField } from '../parts/WrittenField';

type Chosen = NonNullable<Look['columns']>[number];

/** Which columns are shown, in which order and under which names, and what stands before those that both sides have. */
export function ColumnsChoice({
  look,
  all,
  change,
}: {
  look: Look;
  all: RowColumn[];
  change: (part: Partial<Look>) => void;
}) {
  const [open, setOpen] = useState(false);
  const shown: Chosen[] = look.columns?.length
    ? look.columns
    : all.filter((c) => c.side !== 'presence').map((c) => ({ column: c.column }));
  const rest = all.filter((c) => !shown.some((s) => s.column === c.column));
  const set = (columns: Chosen[]) => change({ columns });
  const move = (i: number, by: number) => {
    const next = [...shown];
    const [taken] = next.splice(i, 1);
    if (taken) next.splice(i + by, 0, taken);
    set(next);
  };
  const sideOf = (name: string) =>
    ({ left: 'l', right: 'r' })[all.find((c) => c.column === name)?.side as 'left'] ?? '';
  const both = all.some((c) => c.side === 'left') && all.some((c) => c.side === 'right');
  return (
    <Popover
      trigger="click"
      open={open}
      onOpenChange={setOpen}
      placement="bottomRight"
      content={
        <div className="columns-choice" role="group" aria-label="Columns">
          {shown.map((c, i) => (
            <div key={c.column}>
              <Checkbox checked disabled={shown.length === 1} onChange={() => set(shown.filter((_, j) => j !== i))}>
                <span className={sideOf(c.column)}>{c.column}</span>
              </Checkbox>
              <WrittenField
                label={`name of ${c.column}`}
                placeholder="its own name"
                value={c.as ?? ''}
                tell={(as) => set(shown.map((o, j) => (j === i ? { column: o.column, ...(as && { as }) } : o)))}
              />
              <Button
                size="small"
                type="text"
                icon={<ArrowUpOutlined />}
                aria-label={`${c.column} up`}
                disabled={i === 0}
                onClick={() => move(i, -1)}
              />
              <Button
                size="small"
                type="text"
                icon={<ArrowDownOutlined />}
                aria-label={`${c.column} down`}
                disabled={i === shown.length - 1}
                onClick={() => move(i, 1)}
              />
            </div>
          ))}
          {rest.map((c) => (
            <div key={c.column}>
              <Checkbox checked={false} onChange={() => set([...shown, { column: c.column }])}>
                <span className={sideOf(c.column)}>{c.column}</span>
              </Checkbox>
            </div>
          ))}
          {both && (
            <Prefixes
              prefix={look.prefix ?? undefined}
              change={(prefix) => change({ prefix, columns: undefined, where: undefined, sort: undefined })}
            />
          )}
          <Button size="small" onClick={() => change({ columns: undefined, prefix: undefined })}>
            All as they are
          </Button>
        </div>
      }
    >
      <Button size="small">Columns{look.columns?.length ? ` (${look.columns.length})` : ''}</Button>
    </Popover>
  );
}

/** What stands before columns that both sides have: the sets' names, nothing, or something else. */
function Prefixes({ prefix, change }: { prefix?: string[]; change: (prefix: string[] | undefined) => void }) {
  const way = prefix === undefined ? 'sets' : prefix.every((p) => p === '') ? 'none' : 'own';
  return (
    <fieldset className="prefixes">
      <legend className="dim">before columns that both sides have</legend>
      <Radio.Group
        size="small"
        value={way}
        onChange={(event) =>
          change({ sets: undefined, none: ['', ''], own: ['left', 'right'] }[event.target.value as string])
        }
        options={[
          { value: 'sets', label: 'the sets’ names' },
          { value: 'none', label: 'nothing' },
          { value: 'own', label: 'other words' },
        ]}
      />
      {way === 'own' &&
        (['left', 'right'] as const).map((side, i) => (
          <WrittenField
            key={side}
            label={`before columns of the ${side}`}
            className={side === 'left' ? 'l' : 'r'}
            value={prefix?.[i] ?? ''}
            tell={(text) => change([0, 1].map((j) => (j === i ? text : (prefix?.[j] ?? ''))))}
          />
        ))}
    </fieldset>
  );
}
