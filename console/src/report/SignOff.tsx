import { useQuery } from '@tanstack/react-query';
import { Button, Input } from 'antd';
import { useState } from 'react';
import { answer, api, type Run, type SignStep } from '../api/client';
import { useMay, useMe } from '../api/people';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { useDoing } from '../parts/useDoing';
import { useDraft } from '../parts/useDraft';

export const useSignOff = (run: number) =>
  useQuery({
    queryKey: ['signoff', run],
    queryFn: async () => (await answer(api.GET('/api/v1/runs/{run}/sign-off', { params: { path: { run } } }))).data,
  });

const acts: Record<SignStep['step'], string> = {
  submit: 'Submit it',
  sign: 'Sign it',
  'send-back': 'Send it back',
  reopen: 'Reopen it',
};

/** How far a report is on its way to being signed, and the next step on it. */
export function SignOff({ run }: { run: Run }) {
  const may = useMay('analyst');
  const me = useMe();
  const state = useSignOff(run.id);
  const [asking, setAsking] = useState<SignStep['step']>();
  const [note, setNote, sent] = useDraft(`note to ${asking} report ${run.id}`);
  const { act, failed } = useDoing(['signoff', run.id], ['entries', run.id], ['entry', run.id]);
  const s = state.data;
  if (!s) return <Fault error={state.error} />;
  const go = (step: SignStep['step']) =>
    act(async () => {
      await answer(
        api.PUT('/api/v1/runs/{run}/sign-off', {
          params: { path: { run: run.id }, header: { 'If-Match': `"${s.version}"` } },
          body: { step, note: asking ? note : '' }, // a note that is not on screen is not sent
        }),
      );
      sent(note);
      setAsking(undefined);
    });
  // What goes on while exceptions are open needs a note.
  const next = (step: SignStep['step']) => (s.open > 0 ? setAsking(step) : void go(step));
  const own = s.preparer === me.data?.name;
  return (
    <section className={`signoff ${s.state}`} aria-label="Sign-off">
      <span>{s.says}</span>
      {s.state !== 'signed' && s.open > 0 && (
        <b>
          {count(s.open)} {s.open === 1 ? 'exception is' : 'exceptions are'} still open.
        </b>
      )}
      {may && (
        <span className="acts">
          {asking ? (
            <>
              <Input
                size="small"
                autoFocus
                aria-label="why"
                placeholder={asking === 'submit' || asking === 'sign' ? `why, with ${count(s.open)} open?` : 'why?'}
                style={{ width: 300 }}
                value={note}
                onChange={(event) => setNote(event.target.value)}
                onPressEnter={() => note && void go(asking)}
              />
              <Button size="small" type="primary" disabled={!note.trim()} onClick={() => void go(asking)}>
                {acts[asking]}
              </Button>
              <Button size="small" type="text" onClick={() => setAsking(undefined)}>
                Leave it
              </Button>
            </>
          ) : (
            <>
              {s.state === 'draft' && (
                <Button size="small" onClick={() => next('submit')}>
                  Submit for signing
                </Button>
              )}
              {s.state === 'submitted' && (
                <>
                  <Button
                    size="small"
                    type="primary"
                    disabled={own}
                    title={own ? 'Another person signs it.' : undefined}
                    onClick={() => next('sign')}
                  >
                    Sign
                  </Button>
                  <Button size="small" onClick={() => setAsking('send-back')}>
                    Send back…
                  </Button>
                </>
              )}
              {s.state === 'signed' && (
                <Button size="small" onClick={() => setAsking('reopen')}>
                  Reopen…
                </Button>
              )}
            </>
          )}
        </span>
      )}
      <Fault error={failed} />
    </section>
  );
}

/** That a report is signed, for its other pages; nothing where it is not. */
export function Signed({ run }: { run: number }) {
  const state = useSignOff(run);
  return state.data?.state === 'signed' ? <p className="signoff signed">{state.data.says}</p> : null;
}
