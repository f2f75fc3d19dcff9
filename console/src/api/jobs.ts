import { answer, api, type Job, ProblemError } from './client';

/** Follows a job to its end and resolves with it; rejects with its problem where it did not get there. */
export function follow(job: Job, tell: (job: Job) => void, signal?: AbortSignal): Promise<Job> {
  return new Promise((resolve, reject) => {
    const source = new EventSource(`/api/v1/jobs/${job.id}/events`);
    const stop = () => source.close();
    signal?.addEventListener('abort', () => {
      stop();
      reject(new DOMException('No longer wanted', 'AbortError'));
    });
    source.addEventListener('job', (event) => {
      const now = JSON.parse(event.data) as Job;
      tell(now);
      if (now.state === 'queued' || now.state === 'running') return;
      stop();
      if (now.problem) reject(new ProblemError(now.problem));
      else resolve(now);
    });
    source.onerror = () => {
      if (source.readyState === EventSource.CLOSED) reject(new Error('The service stopped answering.'));
    };
  });
}

export async function cancel(job: Job): Promise<void> {
  await answer(api.DELETE('/api/v1/jobs/{job}', { params: { path: { job: job.id } } }));
}
