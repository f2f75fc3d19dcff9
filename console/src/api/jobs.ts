import { answer, api, type Job, ProblemError } from './client';
import { stream } from './stream';

const unwanted = () => new DOMException('No longer wanted', 'AbortError');

/** Follows a job to its end and resolves with it; rejects with its problem where it did not get there, or once nobody wants it any more. */
export function follow(job: Job, tell: (job: Job) => void, signal?: AbortSignal): Promise<Job> {
  return new Promise((resolve, reject) => {
    if (signal?.aborted) {
      reject(unwanted());
      return;
    }
    const hear = (now: Job) => {
      tell(now);
      if (now.state === 'queued' || now.state === 'running') return;
      stop();
      if (now.problem) reject(new ProblemError(now.problem));
      else resolve(now);
    };
    const stop = stream(`/api/v1/jobs/${job.id}/events`, 'job', (data) => hear(JSON.parse(data) as Job), {
      ask: () => {
        answer(api.GET('/api/v1/jobs/{job}', { params: { path: { job: job.id } }, signal }))
          .then((now) => hear(now.data))
          .catch((error: unknown) => !(error instanceof TypeError) && reject(error as Error)); // else it is asked again
      },
      closed: () => reject(new Error('The service stopped answering.')),
    });
    signal?.addEventListener('abort', () => {
      stop();
      reject(unwanted());
    });
  });
}

export async function cancel(job: Job): Promise<void> {
  await answer(api.DELETE('/api/v1/jobs/{job}', { params: { path: { job: job.id } } }));
}

/**
 * Begins a job and follows it to its end, unless nobody wants it any more, also where that turned out before it was known to have begun:
 * then it is cancelled.
 */
export async function begin(start: () => Promise<Job>, tell: (job: Job) => void, signal?: AbortSignal): Promise<Job> {
  const job = await start();
  try {
    return await follow(job, tell, signal);
  } catch (error) {
    if (signal?.aborted) await cancel(job).catch(() => undefined); // it may have ended in between
    throw error;
  }
}
