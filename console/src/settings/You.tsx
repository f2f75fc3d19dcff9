import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Input, Table } from 'antd';
import { useState } from 'react';
import { answer, api, type Token } from '../api/client';
import { signOut, useMe } from '../api/people';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { when } from '../parts/format';
import { NumberChoice } from '../parts/NumberChoice';
import { TextChoice } from '../parts/TextChoice';
import { useDoing } from '../parts/useDoing';

/** Who is signed in: the way out, the password, and the tokens of programs. */
export function You() {
  const me = useMe();
  const queries = useQueryClient();
  return (
    <>
      <div className="title">
        <div>
          <h2>You</h2>
          <p className="say">
            {me.data?.fullName}, signed in as <b>{me.data?.name}</b>, {me.data?.role}.
          </p>
        </div>
        <Button onClick={() => void signOut().then(() => queries.resetQueries())}>Sign out</Button>
      </div>
      <Password />
      <Tokens />
    </>
  );
}

function Password() {
  const [old, setOld] = useState('');
  const [fresh, setFresh] = useState('');
  const { act, failed } = useDoing();
  const [done, setDone] = useState(false);
  const change = () =>
    act(async () => {
      setDone(false);
      await answer(api.PUT('/api/v1/me/password', { body: { old, new: fresh } }));
      setOld('');
      setFresh('');
      setDone(true);
    });
  const field = (label: string, value: string, set: (text: string) => void, auto: string) => (
    <Choice label={label}>
      <Input.Password
        size="small"
        aria-label={label}
        style={{ width: 200 }}
        autoComplete={auto}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </Choice>
  );
  return (
    <Form className="panel" label="Change the password" send={() => void change()}>
      <div className="choices">
        {field('password', old, setOld, 'current-password')}
        {field('new password', fresh, setFresh, 'new-password')}
        <Button size="small" htmlType="submit" disabled={!old || !fresh}>
          Change the password
        </Button>
      </div>
      {done && <p role="status">It is changed, and your other sessions have ended.</p>}
      <Fault error={failed} />
    </Form>
  );
}

function Tokens() {
  const list = useQuery({
    queryKey: ['tokens'],
    queryFn: async () => (await answer(api.GET('/api/v1/me/tokens'))).data.tokens,
  });
  const [label, setLabel] = useState('');
  const [days, setDays] = useState<number>();
  const [made, setMade] = useState<Token>();
  const { act, failed, busy } = useDoing(['tokens']);
  const make = () =>
    act(async () => {
      setMade((await answer(api.POST('/api/v1/me/tokens', { body: { label, days } }))).data);
      setLabel((now) => (now === label ? '' : now));
    });
  const revoke = (token: number) =>
    act(async () => {
      await answer(api.DELETE('/api/v1/me/tokens/{token}', { params: { path: { token } } }));
      setMade(undefined);
    });
  return (
    <>
      <h2>
        Tokens <small>with which programs act for you, such as the command line</small>
      </h2>
      <Form className="panel" label="New token" send={() => void make()}>
        <div className="choices">
          <TextChoice
            label="what it is for"
            placeholder="such as nightly"
            width={200}
            value={label}
            change={setLabel}
          />
          <NumberChoice label="days" most={366} placeholder="90" value={days} change={setDays} />
          <Button size="small" htmlType="submit" disabled={!label || busy}>
            Make a token
          </Button>
        </div>
        {made && (
          <p role="status">
            Copy it now, it is not shown again: <code className="mono secret">{made.secret}</code>
          </p>
        )}
        <Fault error={failed} />
      </Form>
      {!!list.data?.length && (
        <Table
          size="small"
          rowKey="id"
          pagination={false}
          style={{ marginBottom: 20 }}
          dataSource={list.data}
          columns={[
            { title: 'token', dataIndex: 'label' },
            { title: 'made', render: (_, t: Token) => when(t.created) },
            { title: 'ends', render: (_, t: Token) => when(t.expires) },
            {
              title: 'used last',
              render: (_, t: Token) => (t.seen ? when(t.seen) : <span className="dim">never</span>),
            },
            {
              title: '',
              align: 'right',
              render: (_, t: Token) => (
                <Button size="small" disabled={busy} aria-label={`Revoke ${t.label}`} onClick={() => void revoke(t.id)}>
                  Revoke
                </Button>
              ),
            },
          ]}
        />
      )}
    </>
  );
}
