import { useEffect, useId, useState } from 'react';
import { answer, api, ProblemError, type Counts, type Definition, type Job } from '../api/client';
import { follow } from '../api/jobs';
import { complete } from './definition';

/** The counts of a bench: those of its definition as it is, and those before the last change that was counted. */
type State = {
  counts?: Counts;
  counted?: Definition; // of which the counts are
  before?: Counts;
  error?: unknown;
  job?: Job;
  busy: boolean;
};

/**
 * Counts a definition after each change; an earlier count of the same bench is given up. It is counted under the name that it is
 * saved under, so that it has that sieve's crosswalk.
 */
export function useCounts(draft: Definition, savedAs: string) {
  const bench = useId();
  const [state, setState] = useState<State>({ busy: false });
  const text = JSON.stringify({ ...draft, name: savedAs });
  const [page] = useState(() => String(Math.random())); // so that two open pages do not give up each other's counts
  useEffect(() => {
    const definition = JSON.parse(text) as Definition;
    if (!complete(definition)) return;
    const given = new AbortController();
    const timer = setTimeout(async () => {
      setState((s) => ({ ...s, busy: true }));
      try {
        const { data: job } = await answer(
          api.POST('/api/v1/counts', { body: { definition, draft: bench + page }, signal: given.signal }),
        );
        const shownFrom = Date.now() + 400; // a bar that flashes by is noise
        const end = await follow(
          job,
          (now) => Date.now() > shownFrom && setState((s) => ({ ...s, job: now })),
          given.signal,
        );
        setState((s) => ({
          counts: end.result?.counts,
          counted: definition,
          before:
            JSON.stringify(s.counted) !== text && s.counts && comparable(s.counts, end.result?.counts)
              ? s.counts
              : s.before,
          busy: false,
        }));
      } catch (error) {
        if (given.signal.aborted) return;
        if (error instanceof ProblemError && error.problem.type === '/problems/cancelled') return;
        setState((s) => ({ before: s.before, error, busy: false }));
      }
    }, 200);
    return () => {
      clearTimeout(timer);
      given.abort();
    };
  }, [text, bench, page]);
  return complete(draft) ? state : { busy: false };
}

/** Counts of other record sets say nothing beside these. */
const comparable = (a: Counts, b?: Counts) =>
  b !== undefined && [a, b].every((c) => c.sides.length === 2) && setsOf(a) === setsOf(b);

const setsOf = (c: Counts) =>
  c.sides
    .map((s) => s.set)
    .sort()
    .join('\n');
