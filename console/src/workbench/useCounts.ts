import { useEffect, useId, useState } from 'react';
import { answer, api, ProblemError, type Counts, type Definition, type Job } from '../api/client';
import { follow } from '../api/jobs';
import { complete } from './definition';

/** What was counted last: of which definition, and with what result. */
type Counted = {
  of?: string;
  counts?: Counts;
  counted?: Definition;
  before?: Counts; // before the last change that was counted
  error?: unknown;
};

/**
 * Counts a definition after each change; an earlier count of the same bench is given up. It is counted under the name that it is
 * saved under, so that it has that sieve's crosswalk. Until a change is counted the counts of before are at hand, and it is busy.
 */
export function useCounts(draft: Definition, savedAs: string) {
  const bench = useId();
  const [last, setLast] = useState<Counted>({});
  const [under, setUnder] = useState<{ of: string; job: Job }>();
  const text = JSON.stringify({ ...draft, name: savedAs });
  const [page] = useState(() => String(Math.random())); // so that two open pages do not give up each other's counts
  useEffect(() => {
    const definition = JSON.parse(text) as Definition;
    if (!complete(definition)) return;
    const given = new AbortController();
    const timer = setTimeout(async () => {
      try {
        const { data: job } = await answer(
          api.POST('/api/v1/counts', { body: { definition, draft: bench + page }, signal: given.signal }),
        );
        const shownFrom = Date.now() + 400; // a bar that flashes by is noise
        const end = await follow(
          job,
          (now) => Date.now() > shownFrom && setUnder({ of: text, job: now }),
          given.signal,
        );
        const counts = end.result?.counts;
        setLast((l) => ({
          of: text,
          counts,
          counted: definition,
          before: l.of !== text && l.counts && comparable(l.counts, counts) ? l.counts : l.before,
        }));
      } catch (error) {
        if (given.signal.aborted) return;
        if (error instanceof ProblemError && error.problem.type === '/problems/cancelled') return;
        setLast((l) => ({ of: text, before: l.before, error }));
      }
    }, 200);
    return () => {
      clearTimeout(timer);
      given.abort();
    };
  }, [text, bench, page]);
  if (!complete(draft)) return { busy: false };
  const busy = last.of !== text;
  return {
    counts: last.counts,
    counted: last.counted, // of which the counts are
    before: last.before,
    error: busy ? undefined : last.error,
    job: busy && under?.of === text ? under.job : undefined,
    busy,
  };
}

/** Counts of other record sets say nothing beside these. */
const comparable = (a: Counts, b?: Counts) =>
  b !== undefined && [a, b].every((c) => c.sides.length === 2) && setsOf(a) === setsOf(b);

const setsOf = (c: Counts) =>
  c.sides
    .map((s) => s.set)
    .sort()
    .join('\n');
