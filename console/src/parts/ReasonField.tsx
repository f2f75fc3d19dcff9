import { Input } from 'antd';

/** Why somebody decides so, for who looks at it later. */
export function ReasonField(p: { label: string; value: string; change: (text: string) => void }) {
  return (
    <Input
      aria-label={p.label}
      placeholder="reason, for who looks at it later"
      style={{ width: 300 }}
      value={p.value}
      onChange={(event) => p.change(event.target.value)}
    />
  );
}
