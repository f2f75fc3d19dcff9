import { Button, Progress } from 'antd';
import { cancel } from '../api/jobs';
import type { Job } from '../api/client';
import { count } from './format';

/** How far a job is, and the means to stop it. */
export function JobBar({ job }: { job: Job }) {
  const left = job.left > 1 ? `, about ${Math.ceil(job.left)} s left` : '';
  const text =
    job.state === 'queued'
      ? 'waiting for its turn'
      : `${job.stage ?? 'beginning'}${job.total ? ` ${count(job.done)} of ${count(job.total)}` : ''}${left}`;
  return (
    <div className="job" role="status">
      <Progress percent={Math.round(job.fraction * 100)} size="small" aria-label={`${job.kind} ${job.subject}`} />
      <span className="dim">{text}</span>
      <Button size="small" onClick={() => void cancel(job)}>
        Cancel
      </Button>
    </div>
  );
}
