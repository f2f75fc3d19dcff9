import { useQuery } from '@tanstack/react-query';
import { Spin } from 'antd';
import { tables } from '../api/connections';
import { Fault } from '../parts/Fault';

/** Whether a connection works: the tables that it sees, or why it sees none. */
export function Tried({ connection }: { connection: string }) {
  const seen = useQuery({ queryKey: ['tables', connection], queryFn: () => tables(connection), retry: false });
  if (seen.isPending) return <Spin size="small" />;
  if (seen.error) return <Fault error={seen.error} />;
  if (seen.data.length === 0) return <span>It works, and sees no tables.</span>;
  return (
    <div role="status">
      It works, and sees {seen.data.length} {seen.data.length === 1 ? 'table' : 'tables'}:
      <ul className="notes">
        {seen.data.map((t) => (
          <li key={t.name}>
            <span className="mono">{t.name}</span> {t.view && <span className="dim">view </span>}
            <span className="dim">{t.columns.join(', ')}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
