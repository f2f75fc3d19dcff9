import { useEffect, useRef, useState } from 'react';
import type { Job } from './client';
import { begin } from './jobs';

type Asked<T> = { of: string; job?: Job; result?: T; failed?: unknown };

/**
 * Asks what a job answers, one question at a time. The question is what is on screen and can change at any time: an answer, a job under way
 * and what went wrong belong to the question that they were asked with, and are gone with it. An answer that nobody waits for any more
 * is given up.
 */
export function useAsk<T>(question: unknown, pick: (job: Job) => T | undefined) {
  const now = JSON.stringify(question);
  const [state, setState] = useState<Asked<T>>({ of: now });
  const given = useRef<AbortController>(undefined);
  useEffect(() => () => given.current?.abort(), [now]);
  async function ask(start: () => Promise<Job>) {
    given.current?.abort();
    const mine = new AbortController();
    given.current = mine;
    const tell = (to: Omit<Asked<T>, 'of'>) => !mine.signal.aborted && setState({ of: now, ...to });
    const before = state.of === now ? state.result : undefined;
    tell({ result: before });
    try {
      const end = await begin(start, (job) => tell({ result: before, job }), mine.signal);
      tell({ result: pick(end) });
    } catch (failed) {
      tell({ failed });
    }
  }
  const forget = () => {
    given.current?.abort();
    setState({ of: now });
  };
  const { job, result, failed } = state.of === now ? state : ({} as Partial<Asked<T>>);
  return { job, result, failed, ask, forget };
}
