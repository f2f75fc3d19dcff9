import { Input } from 'antd';
import { Choice } from './Choice';

/** A text to choose, under what it is. */
export function TextChoice(p: {
  label: string;
  name?: string; // for who does not see it, where the label alone does not say it
  value?: string;
  placeholder?: string;
  width?: number;
  disabled?: boolean;
  change: (value: string) => void;
}) {
  return (
    <Choice label={p.label}>
      <Input
        size="small"
        style={{ width: p.width ?? 130 }}
        aria-label={p.name ?? p.label}
        placeholder={p.placeholder}
        disabled={p.disabled}
        value={p.value ?? ''}
        onChange={(event) => p.change(event.target.value)}
      />
    </Choice>
  );
}
