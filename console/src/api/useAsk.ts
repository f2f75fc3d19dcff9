import { useEffect, useRef, useState } from 'react';
import type { Job } from './client';
import { follow } from './jobs';

/** Asks questions whose answers are jobs' results, one at a time: the job under way, the last answer, and what went wrong. */
export function useAsk<T>(pick: (job: Job) => T | undefined) {
  const [state, setState] = useState<{ job?: Job; result?: T; failed?: unknown }>({});
  const given = useRef<AbortController>(undefined);
  useEffect(() => () => given.current?.abort(), []);
  async function ask(begin: () => Promise<Job>) {
    given.current?.abort();
    const mine = new AbortController();
    given.current = mine;
    setState((s) => ({ result: s.result }));
    try {
      const begun = await begin();
      const end = await follow(begun, (job) => setState((s) => ({ ...s, job })), mine.signal);
      setState({ result: pick(end) });
    } catch (failed) {
      if (!mine.signal.aborted) setState({ failed });
    }
  }
  const forget = () => {
    given.current?.abort();
    setState({});
  };
  return { ...state, ask, forget };
}
