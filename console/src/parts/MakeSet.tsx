import { Button, Input } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { answer, api, ProblemError, type SourceRef } from '../api/client';
import { useJob } from '../api/useJob';
import { Fault } from './Fault';
import { Form } from './Form';
import { JobBar } from './JobBar';

/** Makes a record set of a source that is made from others, under a name that is given; nothing is made without a source. */
export function MakeSet(p: { source?: SourceRef; autoFocus?: boolean; made?: () => void }) {
  const { source } = p;
  const [name, setName] = useState('');
  const [made, setMade] = useState('');
  const making = useJob();
  const [asked, setAsked] = useState(''); // the name that was asked for last
  const set = name.trim();
  const taken =
    asked === set && making.failed instanceof ProblemError && making.failed.problem.type === '/problems/name-taken';
  const ready = source !== undefined && set !== '' && !making.job;
  const make = async (next = false) => {
    if (!ready) return;
    setMade('');
    setAsked(set);
    const end = await making.run(async () => {
      const { data } = await answer(
        api.POST('/api/v1/sets/{name}/snapshots', {
          params: { path: { name: set } },
          body: { source, choices: {}, new: !next || undefined },
        }),
      );
      setMade(set);
      return data;
    });
    if (end) p.made?.();
  };
  return (
    <div style={{ width: 360 }}>
      <Form send={() => void make()}>
        <div style={{ display: 'flex', gap: 6 }}>
          <Input
            autoFocus={p.autoFocus}
            aria-label="Name of the new record set"
            placeholder="name of the new record set"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <Button type="primary" htmlType="submit" disabled={!ready}>
            Make it
          </Button>
        </div>
      </Form>
      {making.job && <JobBar job={making.job} />}
      <Fault error={making.failed} />
      {taken && (
        <Button size="small" disabled={!ready} onClick={() => void make(true)}>
          Make the next snapshot of it
        </Button>
      )}
      {made && !making.job && !making.failed && (
        <p className="say" role="status">
          Made: <Link to={`/sets/${encodeURIComponent(made)}`}>{made}</Link>. It can be a side of another sieve, whose
          runs bring it up to date.
        </p>
      )}
    </div>
  );
}
