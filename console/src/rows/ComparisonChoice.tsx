import { Button, Checkbox, Select } from 'antd';
import { SwapOutlined } from '@ant-design/icons';
import type { Look } from '../api/client';
import { wholes } from './look';

const keyed = [
  'full',
  'inner',
  'left',
  'right',
  'left-semi',
  'right-semi',
  'left-anti',
  'right-anti',
  'full-anti',
  'separate',
  'cross',
  'by-position',
];

/** Which comparison is shown, and with its sides exchanged or not. */
export function ComparisonChoice({ look, choose }: { look: Look; choose: (to: Partial<Look>) => void }) {
  return (
    <>
      <Select
        showSearch
        size="small"
        style={{ width: 170 }}
        aria-label="Comparison"
        value={look.comparison}
        onChange={(comparison: Look['comparison']) =>
          choose({ comparison, dropped: undefined, side: undefined, tray: undefined, swap: look.swap })
        }
        options={[
          { label: 'by key', options: keyed.map((c) => ({ value: c, label: c })) },
          { label: 'whole records', options: wholes.map((c) => ({ value: c, label: c })) },
        ]}
      />
      <Button
        size="small"
        icon={<SwapOutlined />}
        aria-pressed={look.swap ?? false}
        onClick={() => choose({ swap: look.swap ? undefined : true })}
      >
        Swap sides
      </Button>
      {look.comparison === 'by-position' && (
        <Checkbox
          checked={look.fill ?? false}
          onChange={(event) => choose({ fill: event.target.checked || undefined, swap: look.swap })}
        >
          fill the shorter side
        </Checkbox>
      )}
    </>
  );
}
