import { useQueryClient } from '@tanstack/react-query';
import { Button, Input, Modal } from 'antd';
import { type ReactNode, useState } from 'react';
import { signIn } from '../api/people';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { Mark } from '../parts/Glyph';
import { useDoing } from '../parts/useDoing';

/** Asks who is there. The page that was asked for comes up once that is known. */
export function SignIn() {
  const queries = useQueryClient();
  return (
    <SignInForm className="door panel" entered={() => queries.resetQueries()}>
      <h1>
        <Mark /> Twin Sieve
      </h1>
    </SignInForm>
  );
}

/** Asks who was signed in to do so again, over a page that stays as it is. Somebody else gets the page anew. */
export function SignInAgain({ name }: { name: string }) {
  const queries = useQueryClient();
  return (
    <Modal open title="Sign in again" closable={false} footer={null} keyboard={false}>
      <p className="say">Your session has ended. What you see stays as it is, and so does what you have not saved.</p>
      <SignInForm name={name} entered={(as) => (as === name ? queries.invalidateQueries() : queries.resetQueries())} />
    </Modal>
  );
}

function SignInForm(p: {
  className?: string;
  name?: string;
  entered: (name: string) => Promise<unknown>;
  children?: ReactNode;
}) {
  const [name, setName] = useState(p.name ?? '');
  const [password, setPassword] = useState('');
  const { act, failed, busy } = useDoing();
  const enter = () =>
    act(async () => {
      await signIn(name, password);
      await p.entered(name);
    });
  return (
    <Form className={p.className} label="Sign in" send={() => void enter()}>
      {p.children}
      <label>
        name
        <Input autoFocus={!p.name} autoComplete="username" value={name} onChange={(e) => setName(e.target.value)} />
      </label>
      <label>
        password
        <Input.Password
          autoFocus={!!p.name}
          autoComplete="current-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </label>
      <Fault error={failed} />
      <Button type="primary" htmlType="submit" disabled={!name || !password || busy} style={{ marginTop: 8 }}>
        Sign in
      </Button>
      <p className="dim">No account, or the password forgotten? An admin gives you a link.</p>
    </Form>
  );
}
