import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Popconfirm, Table } from 'antd';
import { useState } from 'react';
import { answer, api, type Connection } from '../api/client';
import { connections, remove } from '../api/connections';
import { useMay } from '../api/people';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { ConnectionForm, kinds } from '../settings/ConnectionForm';
import { People } from '../settings/People';
import { Retention } from '../settings/Retention';
import { Reasons } from '../settings/Reasons';
import { Tried } from '../settings/Tried';
import { Webhooks } from '../settings/Webhooks';
import { You } from '../settings/You';

const where = (c: Connection) => c.file ?? `${c.host}${c.port ? `:${c.port}` : ''}/${c.database}`;
const passwords = { none: 'none', kept: 'kept, encrypted', variable: 'in a variable' } as const;

export function Settings() {
  const may = useMay('admin');
  const works = useMay('analyst');
  return (
    <>
      <h1 style={{ marginBottom: 12 }}>Settings</h1>
      <You />
      {may && <People />}
      {may && <Reasons />}
      {may && <Webhooks />}
      {may && <Retention />}
      {works && <Connections may={may} />}
    </>
  );
}

/** The databases that record sets are loaded from. Only admins change them. */
function Connections({ may }: { may: boolean }) {
  const queries = useQueryClient();
  const list = useQuery({ queryKey: ['connections'], queryFn: connections });
  const folder = useQuery({
    queryKey: ['folder'],
    queryFn: async () => (await answer(api.GET('/api/v1/folder'))).data,
  });
  const [open, setOpen] = useState<Connection | 'new'>();
  const [tried, setTried] = useState<string[]>([]);
  const [failed, setFailed] = useState<unknown>();

  async function drop(c: Connection) {
    setFailed(undefined);
    try {
      await remove(c);
    } catch (error) {
      setFailed(error);
    }
    await queries.invalidateQueries({ queryKey: ['connections'] });
  }
  async function saved(name: string) {
    setOpen(undefined);
    setTried([name]);
    await queries.invalidateQueries({ queryKey: ['connections'] });
    await queries.invalidateQueries({ queryKey: ['tables', name] });
  }
  return (
    <>
      <div className="title">
        <div>
          <h2>Connections to databases</h2>
          <p className="say">
            Rows of their tables and queries are loaded as record sets, in read-only transactions. Passwords are kept
            encrypted and never shown again.
          </p>
        </div>
        {may && (
          <Button type="primary" onClick={() => setOpen('new')} disabled={open === 'new'}>
            New connection
          </Button>
        )}
      </div>
      {open && (
        <ConnectionForm
          key={open === 'new' ? '' : open.name}
          before={open === 'new' ? undefined : open}
          files={(folder.data?.files ?? []).map((f) => f.path).filter((path) => !/-(wal|shm|journal)$/.test(path))}
          done={(name) => void saved(name)}
          leave={() => setOpen(undefined)}
        />
      )}
      <Fault error={list.error} />
      <Fault error={failed} />
      {list.data?.length === 0 && !open && (
        <p className="panel empty">There are no connections yet. Make one to load record sets from a database.</p>
      )}
      {!!list.data?.length && (
        <Table
          size="small"
          rowKey="name"
          pagination={false}
          dataSource={list.data}
          expandable={{
            expandedRowKeys: tried,
            onExpandedRowsChange: (keys) => setTried(keys as string[]),
            expandedRowRender: (c) => <Tried connection={c.name} />,
          }}
          columns={[
            { title: 'connection', dataIndex: 'name' },
            { title: 'kind', render: (_, c) => kinds[c.kind] },
            { title: 'where', render: (_, c) => <span className="mono">{where(c)}</span> },
            { title: 'user', render: (_, c) => c.user },
            {
              title: 'password',
              render: (_, c) => (c.variable ? <span className="mono">{c.variable}</span> : passwords[c.password]),
            },
            { title: 'time limit', align: 'right', render: (_, c) => `${count(c.limit ?? 3600)} s` },
            {
              title: '',
              align: 'right',
              render: (_, c) => (
                <span className="acts" style={{ justifyContent: 'end' }}>
                  <Button size="small" onClick={() => setTried([c.name])}>
                    Try {c.name}
                  </Button>
                  {may && (
                    <>
                      <Button size="small" aria-label={`Change ${c.name}`} onClick={() => setOpen(c)}>
                        Change
                      </Button>
                      <Popconfirm title={`Delete the connection ${c.name}?`} okText="Delete" onConfirm={() => drop(c)}>
                        <Button size="small" danger aria-label={`Delete ${c.name}`}>
                          Delete
                        </Button>
                      </Popconfirm>
                    </>
                  )}
                </span>
              ),
            },
          ]}
        />
      )}
    </>
  );
}
