import { useQuery } from '@tanstack/react-query';
import { Button, Checkbox, Popover } from 'antd';
import { useState } from 'react';
import { answer, api, type Run } from '../api/client';
import { useMay } from '../api/people';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { count, when } from '../parts/format';
import { NumberChoice } from '../parts/NumberChoice';
import type { EntryQuery } from './query';
import { useDoing } from '../parts/useDoing';

/** A link to what is looked at, for who can sign in; and links with an end for others, who see this report and nothing else. */
export function Share({ run, query }: { run: Run; query: EntryQuery }) {
  const may = useMay('analyst');
  return (
    <Popover trigger="click" placement="bottomRight" content={<Links run={run} query={query} may={may} />}>
      <Button aria-haspopup="dialog">Share</Button>
    </Popover>
  );
}

function Links({ run, query, may }: { run: Run; query: EntryQuery; may: boolean }) {
  const path = { run: run.id };
  const list = useQuery({
    queryKey: ['shares', run.id],
    enabled: may,
    queryFn: async () => (await answer(api.GET('/api/v1/runs/{run}/shares', { params: { path } }))).data.shares,
  });
  const [days, setDays] = useState<number>();
  const [chosen, setChosen] = useState(false);
  const [made, setMade] = useState('');
  const [copied, setCopied] = useState(false);
  const { act, failed, busy } = useDoing(['shares', run.id]);
  const shows = chosen ? query : undefined;
  const total = useQuery({
    queryKey: ['entries', run.id, 'shared', shows],
    enabled: may,
    queryFn: async () =>
      (
        await answer(
          api.GET('/api/v1/runs/{run}/entries', { params: { path, query: { ...shows, after: undefined, limit: 1 } } }),
        )
      ).data.total,
  });
  const make = () =>
    act(async () => {
      const share = await answer(
        api.POST('/api/v1/runs/{run}/shares', {
          params: { path, query: shows },
          body: { days, count: total.data ?? 0 },
        }),
      );
      setMade(location.origin + (share.data.link ?? ''));
    });
  const revoke = (share: number) =>
    act(async () => {
      await answer(api.DELETE('/api/v1/runs/{run}/shares/{share}', { params: { path: { ...path, share } } }));
      setMade('');
    });
  const copy = () => act(() => navigator.clipboard.writeText(location.href).then(() => setCopied(true)));
  return (
    <div style={{ width: 400 }}>
      <p style={{ margin: '0 0 8px' }}>
        Who can sign in opens what you see by its address.{' '}
        <Button size="small" onClick={() => void copy()}>
          {copied ? 'Copied' : 'Copy the address'}
        </Button>
      </p>
      {may && (
        <>
          <h2>
            Links for others <small>they see this report and nothing else</small>
          </h2>
          <Form label="New link for others" send={() => void make()}>
            <div className="choices">
              <NumberChoice label="days" most={366} placeholder="30" value={days} change={setDays} />
              <Checkbox checked={chosen} onChange={(event) => setChosen(event.target.checked)}>
                only what this list is narrowed to
              </Checkbox>
              <Button size="small" htmlType="submit" disabled={total.data === undefined || busy}>
                {(total.data ?? -1) < 0
                  ? 'Make a link'
                  : `Make a link to ${count(total.data ?? 0)} ${total.data === 1 ? 'entry' : 'entries'}`}
              </Button>
            </div>
          </Form>
          {chosen && (
            <p className="say">
              The link lists only these entries. Above them it shows the head of the whole run: its counts, balance,
              definition and file names.
            </p>
          )}
          {made && (
            <p role="status">
              Copy it now, it is not shown again: <code className="mono secret">{made}</code>
            </p>
          )}
          <Fault error={failed ?? total.error} />
          {list.data?.map((s) => (
            <div key={s.id} className="saved">
              <span>
                {s.says}{' '}
                <span className="dim">
                  by {s.by}, until {when(s.ends)}
                </span>
              </span>
              <Button size="small" disabled={busy} aria-label={`Revoke link ${s.id}`} onClick={() => void revoke(s.id)}>
                Revoke
              </Button>
            </div>
          ))}
        </>
      )}
    </div>
  );
}
