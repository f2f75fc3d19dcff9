import { Button, Checkbox, Select } from 'antd';
import { useState } from 'react';
import type { Ask, Look } from '../api/client';
import { count } from '../parts/format';
import { RowsPanel } from './RowsPanel';

type Side = 'left' | 'right';
type Own = Pick<Look, 'where' | 'sort' | 'columns' | 'labels'>;

/**
 * The two sides apart: records that are chosen in one table show their partners in the other, and nothing multiplies. What is chosen is
 * chosen by number and side, so that other sides, or other sets, need another of these.
 */
export function Apart({ ask, sets, keep }: { ask: Ask; sets: [string, string]; keep: (kept: Look['kept']) => void }) {
  const [own, setOwn] = useState<Record<Side, Own>>({ left: {}, right: {} });
  const [chosen, setChosen] = useState<{ side: Side; records: number[] }>({ side: 'left', records: [] });
  const [carry, setCarry] = useState(false);
  const table = (side: Side) => {
    const other = side === 'left' ? 'right' : 'left';
    const partners = chosen.side === other && chosen.records.length > 0 ? chosen.records : undefined;
    return (
      <RowsPanel
        key={side}
        ask={{
          ...ask,
          look: { ...ask.look, ...own[side], side, partners, carried: carry ? own[other].where : undefined },
        }}
        change={(part) => setOwn((o) => ({ ...o, [side]: { ...o[side], ...part } }))}
        title={
          <h2 style={{ margin: 0 }} className={side === 'left' ? 'l' : 'r'}>
            {sets[side === 'left' ? 0 : 1]}
            {partners && <small>partners of {count(partners.length)} chosen</small>}
          </h2>
        }
        select={{
          side,
          chosen: chosen.side === side ? chosen.records : [],
          choose: (records) => setChosen({ side, records }),
        }}
        unsaid={side === 'right'}
        height={300}
      />
    );
  };
  return (
    <div data-testid="apart">
      <div className="choices">
        <Select
          showSearch
          size="small"
          style={{ width: 300 }}
          aria-label="What is kept"
          optionFilterProp="label"
          value={ask.look.kept ?? 'full'}
          onChange={keep}
          options={[
            { value: 'full', label: 'all of both' },
            { value: 'left', label: `all of ${sets[0]}, and its partners` },
            { value: 'right', label: `all of ${sets[1]}, and its partners` },
            { value: 'inner', label: 'only records with a partner' },
          ]}
        />
        <Checkbox checked={carry} onChange={(event) => setCarry(event.target.checked)}>
          a filter on one side keeps only partners on the other
        </Checkbox>
        {chosen.records.length > 0 && (
          <Button size="small" onClick={() => setChosen({ side: 'left', records: [] })}>
            Choose none
          </Button>
        )}
      </div>
      <div className="apart">
        {table('left')}
        {table('right')}
      </div>
    </div>
  );
}
