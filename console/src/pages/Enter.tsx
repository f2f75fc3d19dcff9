import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Input } from 'antd';
import { useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { answer, api } from '../api/client';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { when } from '../parts/format';
import { Mark } from '../parts/Glyph';

const says = {
  welcome: 'Nobody can sign in here yet. You become the first admin.',
  password: 'Choose the password with which you sign in from now on.',
  entry: 'This link signs you in, once.',
};

/** The page of a one-time link. It is used up by a press, never by being looked at. */
export function Enter() {
  const code = useParams().code ?? '';
  const [query] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const link = useQuery({
    queryKey: ['enter', code],
    queryFn: async () => (await answer(api.GET('/api/v1/enter/{code}', { params: { path: { code } } }))).data,
    staleTime: Infinity,
  });
  const [name, setName] = useState('');
  const [fullName, setFullName] = useState('');
  const [password, setPassword] = useState('');
  const [failed, setFailed] = useState<unknown>();
  const kind = link.data?.kind;
  async function enter() {
    setFailed(undefined);
    try {
      await answer(
        api.POST('/api/v1/enter/{code}', { params: { path: { code } }, body: { name, fullName, password } }),
      );
      const then = query.get('then') ?? '';
      // Only to a page of this console: an address of another site would begin with // or a scheme.
      await navigate(/^\/(?!\/|\\)/.test(then) ? then : '/', { replace: true });
      await queries.resetQueries({ predicate: (query) => query.queryKey[0] !== 'enter' }); // the link is used up
    } catch (error) {
      setFailed(error);
    }
  }
  return (
    <Form className="door panel" label="Enter" send={() => void enter()}>
      <h1>
        <Mark /> Twin Sieve
      </h1>
      <Fault error={link.error} />
      {kind && (
        <>
          <p className="say">
            {says[kind]}
            {link.data?.name && kind === 'entry' && ` You are ${link.data.name}.`}
          </p>
          {kind === 'welcome' && (
            <>
              <label>
                name, by which you sign in and are mentioned
                <Input
                  autoFocus
                  autoComplete="username"
                  placeholder="such as ines.varga"
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                />
              </label>
              <label>
                full name
                <Input autoComplete="name" value={fullName} onChange={(e) => setFullName(e.target.value)} />
              </label>
            </>
          )}
          {kind === 'password' && (
            <label>
              name
              <Input value={link.data?.name} disabled autoComplete="username" />
            </label>
          )}
          {kind !== 'entry' && (
            <label>
              password, of at least 10 characters
              <Input.Password
                autoComplete="new-password"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            </label>
          )}
          <Fault error={failed} />
          <Button type="primary" htmlType="submit" autoFocus={kind === 'entry'}>
            {kind === 'entry' ? `Enter as ${link.data?.name}` : 'Set it and enter'}
          </Button>
          <p className="dim">The link works until {when(link.data?.ends ?? '')}.</p>
        </>
      )}
    </Form>
  );
}
