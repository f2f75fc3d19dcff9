import { Button, Select } from 'antd';
import type { AlignedPair, Alignment } from '../api/client';

const types = ['text', 'integer', 'decimal', 'date', 'timestamp', 'boolean'].map((t) => ({ value: t, label: t }));

/** Which columns set logic holds against each other: those of one place, those of one name, or pairs that are chosen. */
export function AlignChoice(p: {
  align: Alignment;
  left: string[];
  right: string[];
  suggested: AlignedPair[];
  change: (align: Alignment | undefined) => void;
}) {
  const pairs = p.align.pairs ?? [];
  const by = p.align.by ?? (pairs.length ? 'pairs' : 'position');
  const set = (pairs: AlignedPair[]) => p.change({ by: 'pairs', pairs });
  const column = (side: 'left' | 'right', pair: AlignedPair, i: number) => (
    <Select
      showSearch
      size="small"
      className={side}
      style={{ width: 150 }}
      aria-label={`${side} column of pair ${i + 1}`}
      placeholder={`${side} column`}
      value={(side === 'left' ? pair.left : (pair.right ?? pair.left)) || undefined}
      options={p[side].map((c) => ({ value: c, label: c }))}
      onChange={(name) => set(pairs.map((o, j) => (j === i ? { ...o, right: o.right ?? o.left, [side]: name } : o)))}
    />
  );
  return (
    <div className="align">
      <span className="dim">whole records by</span>
      <Select
        showSearch
        size="small"
        style={{ width: 190 }}
        aria-label="Columns of whole records"
        optionFilterProp="label"
        value={by}
        options={[
          { value: 'position', label: 'the place of columns' },
          { value: 'name', label: 'the name of columns' },
          { value: 'pairs', label: 'chosen pairs of columns' },
        ]}
        onChange={(by) => {
          if (by === 'pairs') set(p.suggested.length ? p.suggested : [{ left: '', right: '' }]);
          else p.change(by === 'name' ? { by } : undefined);
        }}
      />
      {by === 'pairs' &&
        pairs.map((pair, i) => (
          <div key={i} className="align-pair">
            {column('left', pair, i)} = {column('right', pair, i)}
            <Select
              showSearch
              size="small"
              style={{ width: 118 }}
              aria-label={`type of pair ${i + 1}`}
              allowClear
              placeholder="as both read"
              value={pair.as || undefined}
              options={types}
              onChange={(as) => set(pairs.map((o, j) => (j === i ? { ...o, as } : o)))}
            />
            <Button
              size="small"
              type="text"
              aria-label={`remove pair ${i + 1}`}
              disabled={pairs.length === 1}
              onClick={() => set(pairs.filter((_, j) => j !== i))}
            >
              ×
            </Button>
          </div>
        ))}
      {by === 'pairs' && (
        <Button size="small" type="text" onClick={() => set([...pairs, { left: '', right: '' }])}>
          + pair of columns
        </Button>
      )}
    </div>
  );
}
