import { Button, Popover } from 'antd';
import type { Look } from '../api/client';
import { WrittenField } from '../parts/WrittenField';

/** What a hand-over writes where there is no partner, and where a value is blank. */
export function LabelsChoice({ look, change }: { look: Look; change: (part: Partial<Look>) => void }) {
  const set = (part: Look['labels']) => {
    const next = { ...look.labels, ...part };
    change({ labels: next.noPartner || next.blank ? next : undefined });
  };
  return (
    <Popover
      trigger="click"
      content={
        <div style={{ display: 'grid', gap: 6, width: 230 }}>
          <label>
            no partner
            <WrittenField
              label="Label for no partner"
              placeholder="nothing"
              value={look.labels?.noPartner ?? ''}
              tell={(text) => set({ noPartner: text || undefined })}
            />
          </label>
          <label>
            blank
            <WrittenField
              label="Label for blank"
              placeholder="nothing"
              value={look.labels?.blank ?? ''}
              tell={(text) => set({ blank: text || undefined })}
            />
          </label>
          <span className="dim">A file that is handed over says these. On screen the two always look different.</span>
        </div>
      }
    >
      <Button size="small">Labels</Button>
    </Popover>
  );
}
