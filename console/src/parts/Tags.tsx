import { Select } from 'antd';
import { useState } from 'react';

/** Texts, of which any number can be chosen from a list or typed. */
export function Tags(p: {
  label: string;
  placeholder: string;
  value: string[];
  change: (value: string[]) => void;
  offered: { value: string; title?: string }[];
  size?: 'small';
  minWidth?: number;
}) {
  const [open, setOpen] = useState(false);
  return (
    <Select
      mode="tags"
      size={p.size}
      aria-label={p.label}
      placeholder={p.placeholder}
      style={{ minWidth: p.minWidth }}
      value={p.value}
      onChange={p.change}
      options={p.offered.map((o) => ({ value: o.value, label: o.value, title: o.title }))}
      open={open}
      onOpenChange={setOpen}
      onInputKeyDown={(event) => {
        if (event.key !== 'Tab' || event.currentTarget.value) return;
        // The list would take Tab as a choice of what happens to be marked; with nothing typed it only moves on.
        event.stopPropagation();
        setOpen(false);
      }}
      popupMatchSelectWidth={false}
    />
  );
}
