import { useQuery } from '@tanstack/react-query';
import { Drawer } from 'antd';
import { answer, api, type Run } from '../api/client';
import { Fault } from '../parts/Fault';
import { Glyph } from '../parts/Glyph';
import { EntryName } from '../parts/EntryName';
import { Aligned } from '../report/Aligned';
import { Talk } from '../report/Talk';
import { Work } from '../report/Work';

/** The entry named by id, both sides aligned field by field; nothing while the id is empty. */
export function EntryDrawer(p: { run: Run; id: string; signed: boolean; close: () => void }) {
  const { run, id, close } = p;
  const entry = useQuery({
    queryKey: ['entry', run.id, id],
    enabled: id !== '',
    queryFn: async () =>
      (await answer(api.GET('/api/v1/runs/{run}/entries/{entry}', { params: { path: { run: run.id, entry: id } } })))
        .data,
  });
  return (
    <Drawer
      open={id !== ''}
      onClose={close}
      size={660}
      title={
        entry.data && (
          <span style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
            <Glyph tray={entry.data.tray} />
            {entry.data.tray} <EntryName entry={entry.data} />
          </span>
        )
      }
    >
      <Fault error={entry.error} />
      {entry.data?.work && (
        <Work key={id} run={run} entry={{ ...entry.data, work: entry.data.work }} signed={p.signed} />
      )}
      {entry.data && (
        <Aligned run={run} entry={entry.data} traced>
          {entry.data.work && entry.data.work.exception > 0 && <Talk key={id} run={run} entry={id} signed={p.signed} />}
        </Aligned>
      )}
    </Drawer>
  );
}
