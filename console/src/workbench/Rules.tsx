import { Checkbox, Select } from 'antd';
import type { Definition } from '../api/client';
import { Choice } from '../parts/Choice';
import { FilterField } from '../rows/FilterField';
import { complete, without } from './definition';
import { Lookups } from './Lookups';

const rules = [
  { value: 'pair', label: 'paired one to one' },
  { value: 'totals', label: 'compared by their totals' },
  { value: 'refuse-left', label: 'refused on the left' },
  { value: 'refuse-right', label: 'refused on the right' },
  { value: 'refuse-both', label: 'refused on both sides' },
];

/** Which records take part, what becomes of repeated keys, and the lookup lists. */
export function Rules(p: { draft: Definition; change: (to: (draft: Definition) => Partial<Definition>) => void }) {
  const { draft } = p;
  const change = (part: Partial<Definition>) => p.change(() => part);
  const where = (side: 'left' | 'right') => (
    <Choice label={`only ${side} records for which`}>
      <FilterField
        width={230}
        label={`filter of the ${side} side`}
        placeholder={side === 'left' ? 'quay == "Tar Quay"' : 'zero(Amount) > 0'}
        value={draft.where?.[side] ?? ''}
        take={(text) =>
          // The filter of the other side may have been taken meanwhile.
          p.change((draft) => {
            const next = without(draft.where ?? {}, side, text);
            return { where: Object.keys(next).length ? next : undefined };
          })
        }
        // A filter that is wrong, on either side, does not keep the other from being checked.
        ask={complete(draft) ? { definition: { ...draft, where: undefined }, look: { comparison: 'full' } } : undefined}
        side={side}
      />
    </Choice>
  );
  return (
    <div className="choices" style={{ marginBottom: 0 }}>
      {where('left')}
      {where('right')}
      <Choice label="repeated keys are">
        <Select
          size="small"
          style={{ width: 190 }}
          aria-label="repeated keys"
          value={draft.repeats ?? 'pair'}
          onChange={(rule) => change({ repeats: rule === 'pair' ? undefined : rule })}
          options={rules}
        />
      </Choice>
      <Choice label="records that are still open">
        <Checkbox
          aria-label="carried into the next run"
          checked={draft.carry ?? false}
          onChange={(e) => change({ carry: e.target.checked || undefined })}
        >
          <span title="A run takes in the records of earlier runs' exceptions that are not settled, where its snapshots no longer have them. Counts here are without them.">
            carried into the next run
          </span>
        </Checkbox>
      </Choice>
      <Lookups lists={draft.lookups ?? []} change={(lists) => change({ lookups: lists.length ? lists : undefined })} />
    </div>
  );
}
