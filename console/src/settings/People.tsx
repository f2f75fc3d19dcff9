import { Button, Select, Switch, Table } from 'antd';
import { useRef, useState } from 'react';
import { answer, api, type Invited, type Person } from '../api/client';
import { usePeople } from '../api/people';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { when } from '../parts/format';
import { TextChoice } from '../parts/TextChoice';
import { useDoing } from '../parts/useDoing';
import { useUnsaved } from '../parts/useUnsaved';

type Role = Person['role'];
const roles: { value: Role; label: string }[] = [
  { value: 'reader', label: 'reader' },
  { value: 'analyst', label: 'analyst' },
  { value: 'admin', label: 'admin' },
];

/** Who can sign in, for admins: adding people, what they may do, and the links by which they set a password. */
export function People() {
  const list = usePeople();
  const [name, setName] = useState('');
  const [fullName, setFullName] = useState('');
  const [role, setRole] = useState<Role>('analyst');
  const [invited, setInvited] = useState<Invited>();
  const { act, failed, busy } = useDoing(['people'], ['me']);
  useUnsaved(name + fullName !== '', 'The new person');
  // One is sent after the other: a field that is locked meanwhile loses the focus.
  const sending = useRef<Promise<unknown>>(Promise.resolve());
  const inTurn = (what: () => Promise<unknown>) => {
    sending.current = sending.current.then(() => act(what));
    return sending.current;
  };
  const add = () =>
    inTurn(async () => {
      setInvited((await answer(api.POST('/api/v1/people', { body: { name, fullName, role } }))).data);
      setName((now) => (now === name ? '' : now));
      setFullName((now) => (now === fullName ? '' : now));
    });
  const invite = (person: string) =>
    inTurn(async () =>
      setInvited((await answer(api.POST('/api/v1/people/{person}/link', { params: { path: { person } } }))).data),
    );
  const change = (p: Person, part: Partial<Person>) =>
    inTurn(() =>
      answer(
        api.PUT('/api/v1/people/{person}', {
          params: { path: { person: p.name }, header: { 'If-Match': `"${p.version}"` } },
          body: { fullName: p.fullName, role: p.role, active: p.active, ...part },
        }),
      ),
    );
  return (
    <>
      <h2>
        People <small>readers read and hand over; analysts do the work; admins let people in</small>
      </h2>
      <Form className="panel" label="New person" send={() => void add()}>
        <div className="choices">
          <TextChoice
            label="name"
            name="name of the person"
            placeholder="such as tam.okoro"
            width={150}
            value={name}
            change={setName}
          />
          <TextChoice label="full name" width={200} value={fullName} change={setFullName} />
          <Choice label="role">
            <Select
              size="small"
              showSearch
              aria-label="role"
              style={{ width: 110 }}
              value={role}
              onChange={setRole}
              options={roles}
            />
          </Choice>
          <Button size="small" htmlType="submit" disabled={!name || busy}>
            Add this person
          </Button>
        </div>
        {invited && (
          <p role="status">
            Give {invited.person.name} this link; it works once, until {when(invited.ends)}:{' '}
            <code className="mono secret">{location.origin + invited.link}</code>
          </p>
        )}
        <Fault error={failed} />
      </Form>
      <Fault error={list.error} />
      <Table
        size="small"
        rowKey="name"
        pagination={false}
        style={{ marginBottom: 20 }}
        dataSource={list.data}
        columns={[
          { title: 'name', render: (_, p: Person) => <b>{p.name}</b> },
          { title: 'full name', dataIndex: 'fullName' },
          {
            title: 'role',
            render: (_, p: Person) => (
              <Select
                size="small"
                showSearch
                aria-label={`role of ${p.name}`}
                style={{ width: 110 }}
                value={p.role}
                onChange={(to) => void change(p, { role: to })}
                options={roles}
              />
            ),
          },
          {
            title: 'can sign in',
            render: (_, p: Person) => (
              <Switch
                size="small"
                aria-label={`${p.name} can sign in`}
                checked={p.active}
                onChange={(active) => void change(p, { active })}
              />
            ),
          },
          {
            title: 'password',
            render: (_, p: Person) => (p.waiting ? <span className="dim">not set yet</span> : 'set'),
          },
          { title: 'since', render: (_, p: Person) => when(p.created) },
          {
            title: '',
            align: 'right',
            render: (_, p: Person) => (
              <Button
                size="small"
                aria-label={`New link for ${p.name}`}
                disabled={!p.active || busy}
                onClick={() => void invite(p.name)}
              >
                New link
              </Button>
            ),
          },
        ]}
      />
    </>
  );
}
