import { InputNumber } from 'antd';
import { Choice } from './Choice';

/** A whole number from 1 on to choose, or none. */
export function NumberChoice(p: {
  label: string;
  value?: number;
  most?: number;
  placeholder?: string;
  change: (value?: number) => void;
}) {
  return (
    <Choice label={p.label}>
      <InputNumber
        size="small"
        style={{ width: 110 }}
        aria-label={p.label}
        min={1}
        max={p.most}
        precision={0}
        controls={false}
        placeholder={p.placeholder}
        value={p.value ?? null}
        onChange={(n) => p.change(n ?? undefined)}
      />
    </Choice>
  );
}
