import { Input } from 'antd';
import { useState } from 'react';

/** A text field that tells what was written once it is done with: at Enter, or when it is left. */
export function Settled(p: {
  label: string;
  value: string;
  settle: (value: string) => void;
  placeholder?: string;
  className?: string;
}) {
  const [typed, setTyped] = useState(p.value);
  const [before, setBefore] = useState(p.value);
  if (before !== p.value) {
    setBefore(p.value);
    setTyped(p.value);
  }
  const settle = () => typed !== p.value && p.settle(typed);
  return (
    <Input
      size="small"
      aria-label={p.label}
      placeholder={p.placeholder}
      className={p.className}
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={settle}
      onPressEnter={settle}
    />
  );
}
