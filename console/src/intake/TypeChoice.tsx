import { Select } from 'antd';
import type { Finding } from '../api/client';
import { count } from '../parts/format';

const types = [
  'text',
  'integer',
  'decimal point',
  'decimal comma',
  'date YYYY-MM-DD',
  'date DD.MM.YYYY',
  'date DD/MM/YYYY',
  'date MM/DD/YYYY',
  'date serial',
  'timestamp',
  'boolean yes/no',
];

const named = (t: { name: string; form?: string }) => `${t.name} ${t.form ?? ''}`.trim();

/** As what a column's values read, open to change. Where values read in more than one way, nothing is chosen until a person does. */
export function TypeChoice({
  column,
  type,
  change,
}: {
  column: string;
  type: Finding;
  change: (type: string) => void;
}) {
  const doubt = type.ambiguous.length > 0;
  const ways = type.ambiguous.map(named);
  const unread = type.values - type.read;
  const evidence = `${count(type.read)} of ${count(type.values)} values read as this: ${type.why}${type.unread
    .map((u) => `; not ${u.text}`)
    .join('')}`;
  return (
    <span title={evidence} className={doubt ? 'type doubt' : 'type'}>
      <Select
        size="small"
        variant="borderless"
        aria-label={`type of ${column}`}
        value={doubt ? undefined : named(type)}
        placeholder={`${type.name}? ${type.ambiguous.map((t) => t.form).join(' or ')}`}
        onChange={change}
        options={[...new Set([...ways, ...(doubt ? [] : [named(type)]), ...types])].map((value) => ({
          value,
          label: value,
        }))}
        popupMatchSelectWidth={false}
      />
      {unread > 0 && <b> {count(unread)} not</b>}
    </span>
  );
}
