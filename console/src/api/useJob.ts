import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { Job } from './client';
import { follow } from './jobs';

/** Runs jobs, one at a time: the one under way, what went wrong with the last, and how to begin one. */
export function useJob() {
  const queries = useQueryClient();
  const [job, setJob] = useState<Job>();
  const [failed, setFailed] = useState<unknown>();
  /** Follows a job to its end; everything that has been read of the service is read anew then. */
  async function run(begin: () => Promise<Job>) {
    setFailed(undefined);
    try {
      const begun = await begin();
      setJob(begun);
      await follow(begun, setJob);
      await queries.invalidateQueries();
    } catch (error) {
      setFailed(error);
    } finally {
      setJob(undefined);
    }
  }
  return { job, failed, run };
}
