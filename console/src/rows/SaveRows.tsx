import { Button, Input, Popover } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { answer, api, type Look } from '../api/client';
import { useJob } from '../api/useJob';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { JobBar } from '../parts/JobBar';
import { tidy } from './look';

/** Makes a record set of the rows, which knows what it was made from. */
export function SaveRows({
  sieve,
  run,
  look,
  disabled,
}: {
  sieve: string;
  run?: number;
  look: Look;
  disabled?: string;
}) {
  const [name, setName] = useState('');
  const [saved, setSaved] = useState('');
  const saving = useJob();
  const save = () => {
    if (!name.trim()) return;
    setSaved('');
    const asked = tidy({ look }).look;
    void saving.run(async () => {
      const { data } = await answer(
        api.POST('/api/v1/sets/{name}/snapshots', {
          params: { path: { name: name.trim() } },
          body: { source: { result: { sieve, run, look: asked } }, choices: {} },
        }),
      );
      setSaved(name.trim());
      return data;
    });
  };
  return (
    <Popover
      trigger="click"
      content={
        <div style={{ width: 320 }}>
          {disabled ? (
            <p className="say">{disabled}</p>
          ) : (
            <Form send={save}>
              <div style={{ display: 'flex', gap: 6 }}>
                <Input
                  size="small"
                  autoFocus
                  aria-label="Name of the record set"
                  placeholder="name of the record set"
                  value={name}
                  onChange={(event) => setName(event.target.value)}
                />
                <Button size="small" type="primary" htmlType="submit" disabled={!name.trim() || !!saving.job}>
                  Make it
                </Button>
              </div>
            </Form>
          )}
          {saving.job && <JobBar job={saving.job} />}
          <Fault error={saving.failed} />
          {saved && !saving.job && !saving.failed && (
            <p className="say" role="status">
              Made: <Link to={`/sets/${encodeURIComponent(saved)}`}>{saved}</Link>. It can be a side of another sieve,
              whose runs bring it up to date.
            </p>
          )}
        </div>
      }
    >
      <Button size="small">Make a record set</Button>
    </Popover>
  );
}
