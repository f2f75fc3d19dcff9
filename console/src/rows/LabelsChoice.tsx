import { Button, Input, Popover } from 'antd';
import type { Look } from '../api/client';

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
            <Input
              size="small"
              placeholder="nothing"
              aria-label="Label for no partner"
              value={look.labels?.noPartner ?? ''}
              onChange={(event) => set({ noPartner: event.target.value || undefined })}
            />
          </label>
          <label>
            blank
            <Input
              size="small"
              placeholder="nothing"
              aria-label="Label for blank"
              value={look.labels?.blank ?? ''}
              onChange={(event) => set({ blank: event.target.value || undefined })}
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
