import { Button, Drawer } from 'antd';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { answer, api, type Cause, type Run } from '../api/client';
import { decide } from '../api/crosswalk';
import { useAsk } from '../api/useAsk';
import { Diagnosed } from '../parts/Diagnosed';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { useDoing } from '../parts/useDoing';

/** Why the records of a run that have no partner found none; a remedy is tried in the workbench, a slip accepted as the same. */
export function WhyNot({ run, trace }: { run: Run; trace: (record: string) => void }) {
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState('');
  const { act, failed: wrong } = useDoing();
  const { ask, job, result, failed } = useAsk(run.id, (j) => j.result?.diagnosis);
  const go = useNavigate();
  const accept = (cause: Cause) =>
    act(async () => {
      const pairs = cause.listed
        .filter((f) => f.side === 'left' && f.other)
        .map((f) => ({ left: f.key, right: f.other ?? [] }));
      const c = await decide(run.sieve, {
        pairs,
        accept: true,
        source: 'diagnosis',
        reason: cause.says.replace(/^[\d,]+ /, ''),
      });
      setSaid(
        `${count(pairs.length)} pairs accepted; they pair from the next run on. The crosswalk is at version ${c.version}.`,
      );
    });
  return (
    <>
      <Button
        onClick={() => {
          setOpen(true);
          if (!result)
            void ask(async () => (await answer(api.POST('/api/v1/diagnoses', { body: { run: run.id } }))).data);
        }}
      >
        Why no partner?
      </Button>
      <Drawer open={open} onClose={() => setOpen(false)} size={860} title="Why records found no partner">
        {job && <JobBar job={job} />}
        <Fault error={failed} />
        <Fault error={wrong} />
        {said && (
          <p role="status">
            <b>{said}</b>
          </p>
        )}
        {result && (
          <Diagnosed
            diagnosis={result}
            remedy={(cause) =>
              void go(`/sieves/of/${encodeURIComponent(run.sieve)}`, {
                state: { applied: cause.applied, remedy: cause.remedy },
              })
            }
            accept={(cause) => void accept(cause)}
            trace={(record) => {
              setOpen(false);
              trace(record);
            }}
          />
        )}
      </Drawer>
    </>
  );
}
