import { useQueryClient } from '@tanstack/react-query';
import { Button, Popconfirm } from 'antd';
import { useState } from 'react';
import { answer, api, type Removable } from '../api/client';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { bytes, when } from '../parts/format';
import { NumberChoice } from '../parts/NumberChoice';
import { useDoing } from '../parts/useDoing';

/** Runs and snapshots that nothing refers to, for admins: first what would go, then it goes. */
export function Retention() {
  const queries = useQueryClient();
  const [newest, setNewest] = useState<number>();
  const [days, setDays] = useState<number>();
  const [listed, setListed] = useState<{ rule: string; what: Removable }>();
  const [gone, setGone] = useState('');
  const { act, failed } = useDoing();
  const body = { newest, days };
  // What is listed belongs to the rule that it was listed by: under another one there is nothing to remove yet.
  const rule = JSON.stringify(body);
  const shown = listed?.rule === rule ? listed.what : undefined;
  const look = () =>
    act(async () => {
      setGone('');
      setListed({ rule, what: (await answer(api.POST('/api/v1/retention/tried', { body }))).data });
    });
  const remove = (list: string) =>
    act(async () => {
      setGone((await answer(api.POST('/api/v1/retention', { body: { ...body, list } }))).data.says);
      setListed(undefined);
      await queries.invalidateQueries(); // any page may have shown what is gone
    });
  const many = (shown?.runs.length ?? 0) + (shown?.snapshots.length ?? 0);
  return (
    <>
      <h2>
        Retention <small>runs and snapshots that nothing refers to; work on exceptions and signed reports stay</small>
      </h2>
      <Form className="panel" label="Retention" send={() => void look()}>
        <div className="choices">
          <NumberChoice
            label="keep the newest"
            most={100000}
            placeholder="any number"
            value={newest}
            change={setNewest}
          />
          <NumberChoice
            label="keep those of the last days"
            most={100000}
            placeholder="any age"
            value={days}
            change={setDays}
          />
          <Button size="small" htmlType="submit" disabled={!newest && !days}>
            See what goes
          </Button>
        </div>
        <Fault error={failed} />
        {gone && <p role="status">{gone}</p>}
        {shown && (
          <>
            <p role="status">
              {shown.says} {many > 0 && `About ${bytes(shown.bytes)}.`}
            </p>
            <ul className="dim">
              {shown.runs.map((r) => (
                <li key={`r${r.run}`}>
                  {r.sieve}, run {r.number}, {when(r.finished)}
                </li>
              ))}
              {shown.snapshots.map((s) => (
                <li key={`s${s.set} ${s.number}`}>
                  {s.set}, snapshot {s.number}, {when(s.created)}
                </li>
              ))}
            </ul>
            {many > 0 && (
              <Popconfirm
                title="Remove them? They do not come back."
                okText="Remove"
                onConfirm={() => remove(shown.list)}
              >
                <Button size="small" danger>
                  Remove these
                </Button>
              </Popconfirm>
            )}
          </>
        )}
      </Form>
    </>
  );
}
