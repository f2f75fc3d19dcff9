import { Tooltip } from 'antd';
import type { Finding } from '../api/client';
import { count } from './format';

/** As what a column's values read, with the evidence behind it. An ambiguous type says so. */
export function TypeTag({ type }: { type: Finding }) {
  const unread = type.values - type.read;
  const evidence = (
    <>
      {count(type.read)} of {count(type.values)} values read as this: {type.why}
      {type.unread.map((u) => (
        <div key={u.text} className="mono">
          not {u.text} in {count(u.records)}
        </div>
      ))}
    </>
  );
  const doubt = type.ambiguous.length > 0;
  const text = doubt
    ? `${type.name}? ${type.ambiguous.map((t) => t.form).join(' or ')}`
    : `${type.name} ${type.form ?? ''}`;
  return (
    <Tooltip title={evidence}>
      <span className={doubt ? 'type doubt' : 'type'} tabIndex={0}>
        {text.trim()}
        {unread > 0 && <b> {count(unread)} not</b>}
      </span>
    </Tooltip>
  );
}
