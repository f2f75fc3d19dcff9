import { Button, Input, Select } from 'antd';
import { useState } from 'react';
import type { Access, Connection } from '../api/client';
import { save } from '../api/connections';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { NumberChoice } from '../parts/NumberChoice';
import { TextChoice } from '../parts/TextChoice';
import { useUnsaved } from '../parts/useUnsaved';

export const kinds = { postgresql: 'PostgreSQL', mariadb: 'MariaDB or MySQL', sqlite: 'SQLite file' } as const;

/** A connection to a database, to be made or changed. A password is sent and never comes back. */
export function ConnectionForm(p: {
  before?: Connection;
  files: string[];
  done: (name: string) => void;
  leave: () => void;
}) {
  const b = p.before;
  const [name, setName] = useState(b?.name ?? '');
  const [access, setAccess] = useState<Access>(
    b
      ? {
          kind: b.kind,
          host: b.host,
          port: b.port,
          database: b.database,
          user: b.user,
          tls: b.tls,
          file: b.file,
          variable: b.variable,
          limit: b.limit,
        }
      : { kind: 'postgresql' },
  );
  const [password, setPassword] = useState<string>();
  const [failed, setFailed] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const set = (part: Partial<Access>) => setAccess({ ...access, ...part });
  const file = access.kind === 'sqlite';
  const [first] = useState(JSON.stringify(access));
  useUnsaved(
    JSON.stringify(access) !== first || name !== (b?.name ?? '') || !!password,
    b ? `What has changed in the connection ${b.name}` : 'The new connection',
  );

  async function keep() {
    setBusy(true);
    setFailed(undefined);
    try {
      await save(name, access, file || access.variable ? undefined : password, b); // only where its field is there
      p.done(name);
    } catch (error) {
      setFailed(error);
    } finally {
      setBusy(false);
    }
  }

  const text = (key: 'host' | 'database' | 'user' | 'variable', label: string, placeholder = '', width = 170) => (
    <TextChoice
      label={label}
      placeholder={placeholder}
      width={width}
      value={access[key]}
      change={(value) => set({ [key]: value || undefined })}
    />
  );
  return (
    <Form className="panel" label={b ? `Change ${b.name}` : 'New connection'} send={() => void keep()}>
      <div className="choices">
        <TextChoice
          label="name"
          name="name of the connection"
          placeholder="such as harbour"
          width={150}
          value={name}
          disabled={!!b}
          change={setName}
        />
        <Choice label="kind">
          <Select
            size="small"
            aria-label="kind of database"
            style={{ width: 150 }}
            value={access.kind}
            onChange={(kind: Access['kind']) =>
              setAccess(kind === 'sqlite' ? { kind, limit: access.limit } : { ...access, kind, file: undefined })
            }
            options={Object.entries(kinds).map(([value, label]) => ({ value, label }))}
          />
        </Choice>
        {file ? (
          <Choice label="file in the service's folder">
            <Select
              size="small"
              showSearch
              aria-label="file in the service's folder"
              style={{ width: 240 }}
              value={access.file}
              onChange={(path: string) => set({ file: path })}
              options={p.files.map((value) => ({ value, label: value }))}
              notFoundContent="The service may read no folder, or there is nothing in it."
            />
          </Choice>
        ) : (
          <>
            {text('host', 'host', '127.0.0.1')}
            <NumberChoice
              label="port"
              most={65535}
              placeholder={access.kind === 'mariadb' ? '3306' : '5432'}
              value={access.port}
              change={(port) => set({ port })}
            />
            {text('database', 'database')}
            {text('user', 'user', 'one who may only read')}
            <Choice label="password">
              <Input.Password
                size="small"
                aria-label="password"
                style={{ width: 190 }}
                autoComplete="new-password"
                value={password ?? ''}
                disabled={!!access.variable}
                placeholder={b?.password === 'kept' ? 'the one that is kept' : 'none'}
                onChange={(event) => setPassword(event.target.value)}
              />
            </Choice>
            {text('variable', 'or the variable that holds it', 'TWINSIEVE_SECRET_…', 220)}
            <Choice label="encrypted">
              <Select
                size="small"
                aria-label="encrypted"
                style={{ width: 190 }}
                value={access.tls ?? 'off'}
                onChange={(tls: Access['tls']) => set({ tls })}
                options={[
                  { value: 'off', label: 'no' },
                  { value: 'on', label: 'yes, whoever answers' },
                  { value: 'verify', label: 'yes, and the host proves itself' },
                ]}
                popupMatchSelectWidth={false}
              />
            </Choice>
          </>
        )}
        <NumberChoice
          label="seconds for a query"
          most={86400}
          placeholder="3,600"
          value={access.limit}
          change={(limit) => set({ limit })}
        />
      </div>
      <Fault error={failed} />
      <div className="acts">
        <Button size="small" type="primary" htmlType="submit" disabled={!name || busy}>
          Save and try it
        </Button>
        <Button size="small" onClick={p.leave}>
          Leave it
        </Button>
      </div>
    </Form>
  );
}
