import { useQuery } from '@tanstack/react-query';
import { Button, Checkbox } from 'antd';
import { useState } from 'react';
import { answer, api, type Schedule as ScheduleView } from '../api/client';
import { useMay } from '../api/people';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { when } from '../parts/format';
import { TextChoice } from '../parts/TextChoice';
import { useDoing } from '../parts/useDoing';
import { useUnsaved } from '../parts/useUnsaved';

/** When a sieve runs by itself, and how that went. */
export function Schedule({ sieve }: { sieve: string }) {
  const schedule = useQuery({
    queryKey: ['schedule', sieve],
    queryFn: async () =>
      (await answer(api.GET('/api/v1/sieves/{name}/schedule', { params: { path: { name: sieve } } }))).data,
  });
  if (!schedule.data) return <Fault error={schedule.error} />;
  return <ScheduleForm sieve={sieve} schedule={schedule.data} />;
}

type Times = Pick<ScheduleView, 'cron' | 'zone' | 'watch' | 'both'>;

function ScheduleForm({ sieve, schedule: s }: { sieve: string; schedule: ScheduleView }) {
  const may = useMay('analyst');
  const saved: Times = {
    cron: s.cron,
    zone: s.zone || Intl.DateTimeFormat().resolvedOptions().timeZone,
    watch: s.watch,
    both: s.both,
  };
  const [typed, setTyped] = useState<Partial<Times>>({});
  const change = (part: Partial<Times>) => setTyped((before) => ({ ...before, ...part }));
  const { cron, zone, watch, both } = { ...saved, ...typed };
  useUnsaved(Object.keys(typed).length > 0, 'The schedule of this sieve');
  const { act, failed } = useDoing(['schedule', sieve]);
  const put = (body: Times & { active: boolean }) =>
    answer(
      api.PUT('/api/v1/sieves/{name}/schedule', {
        params: { path: { name: sieve }, header: { 'If-Match': `"${s.version}"` } },
        body,
      }),
    );
  const save = () =>
    act(async () => {
      await put({ cron, zone, watch, both, active: true });
      setTyped((now) => (now === typed ? {} : now));
    });
  const end = () => act(() => put({ ...saved, active: false })); // what has been typed is not saved by it
  return (
    <Form className="panel" label="Runs by itself" send={() => void save()}>
      <h2>
        Runs by itself{' '}
        <small>
          {s.active ? `on behalf of ${s.by}` : 'not now'}
          {s.next && `, next ${when(s.next)}`}
        </small>
      </h2>
      <div className="choices">
        <TextChoice
          label="by the clock: minute hour day month weekday"
          name="cron"
          placeholder="30 6 * * 1-5"
          width={260}
          value={cron}
          change={(to) => change({ cron: to })}
          disabled={!may}
        />
        <TextChoice
          label="time zone"
          placeholder="Europe/Stockholm"
          width={160}
          value={zone}
          change={(to) => change({ zone: to })}
          disabled={!may}
        />
        <Checkbox checked={watch} disabled={!may} onChange={(event) => change({ watch: event.target.checked })}>
          when files have come
        </Checkbox>
        <Checkbox checked={both} disabled={!may} onChange={(event) => change({ both: event.target.checked })}>
          only once both sides are newer than in its last run
        </Checkbox>
        {may && (
          <Button size="small" htmlType="submit">
            {s.active ? 'Save it' : 'Let it run by itself'}
          </Button>
        )}
        {may && s.active && (
          <Button size="small" onClick={() => void end()}>
            No longer
          </Button>
        )}
      </div>
      <p className="dim" style={{ margin: 0 }}>
        A time that the clocks skip in spring does not fire on that day; one that comes twice in autumn fires once. A
        file has come once its size and time stand still. What was missed while the service was down is caught up once.
      </p>
      {s.says && (
        <p role="status">
          Last time, {when(s.at ?? '')}: {s.says}
        </p>
      )}
      <Fault error={failed} />
    </Form>
  );
}
