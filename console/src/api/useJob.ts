import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import type { Job } from './client';
import { follow } from './jobs';

/**
 * Runs jobs, one at a time: the one under way, what went wrong with the last, and how to begin one. A second press while one is begun or
 * under way begins nothing.
 */
export function useJob() {
  const queries = useQueryClient();
  const [job, setJob] = useState<Job>();
  const [failed, setFailed] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const locked = useRef(false); // at once, which state is not
  /** Follows a job to its end; everything that has been read of the service is read anew then. Resolves with the job where it got there. */
  async function run(start: () => Promise<Job>): Promise<Job | undefined> {
    if (locked.current) return undefined;
    locked.current = true;
    setBusy(true);
    setFailed(undefined);
    try {
      const begun = await start();
      setJob(begun);
      const end = await follow(begun, setJob);
      // A preview stays as it is: what it is of may be loaded now, and gone.
      await queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'preview' });
      return end;
    } catch (error) {
      setFailed(error);
      return undefined;
    } finally {
      locked.current = false;
      setBusy(false);
      setJob(undefined);
    }
  }
  return { job, failed, busy, run };
}
