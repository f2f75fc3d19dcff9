import { useQueryClient } from '@tanstack/react-query';
import { Button, Input } from 'antd';
import { useState } from 'react';
import { signIn } from '../api/people';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { Mark } from '../parts/Glyph';

/** Asks who is there. The page that was asked for comes up once that is known. */
export function SignIn() {
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [failed, setFailed] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  async function enter() {
    setBusy(true);
    setFailed(undefined);
    try {
      await signIn(name, password);
      await queries.resetQueries();
    } catch (error) {
      setFailed(error);
      setBusy(false);
    }
  }
  return (
    <Form className="door panel" label="Sign in" send={() => void enter()}>
      <h1>
        <Mark /> Twin Sieve
      </h1>
      <label>
        name
        <Input autoFocus autoComplete="username" value={name} onChange={(e) => setName(e.target.value)} />
      </label>
      <label>
        password
        <Input.Password
          autoComplete="current-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </label>
      <Fault error={failed} />
      <Button type="primary" htmlType="submit" disabled={!name || !password || busy}>
        Sign in
      </Button>
      <p className="dim">No account, or the password forgotten? An admin gives you a link.</p>
    </Form>
  );
}
