import { Input } from 'antd';
import { useState } from 'react';

/** A text field that tells what was written once it is done with: at Enter, or when it is left. */
export function WrittenField(p: {
  label: string;
  value: string;
  tell: (value: string) => void;
  placeholder?: string;
  className?: string;
}) {
  const [typed, setTyped] = useState(p.value);
  const [before, setBefore] = useState(p.value);
  if (before !== p.value) {
    setBefore(p.value);
    setTyped(p.value);
  }
  const tell = () => typed !== p.value && p.tell(typed);
  return (
    <Input
      size="small"
      aria-label={p.label}
      placeholder={p.placeholder}
      className={p.className}
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={tell}
      onPressEnter={tell}
    />
  );
}
