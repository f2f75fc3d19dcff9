import { useEffect, useId, useState } from 'react';
import { answer, api, ProblemError, type Alignment, type Definition, type WholeCounts } from '../api/client';
import { follow } from '../api/jobs';

/** Counts set logic over whole records of a definition whose other counts are there. */
export function useWhole(counted: Definition, align: Alignment | undefined): { whole?: WholeCounts; error?: unknown } {
  const [state, setState] = useState<{ whole?: WholeCounts; error?: unknown; of: string }>({ of: '' });
  const bench = useId();
  const [page] = useState(() => String(Math.random()));
  const text = JSON.stringify({ definition: counted, align: align ?? {} });
  useEffect(() => {
    const given = new AbortController();
    void (async () => {
      try {
        const asked = JSON.parse(text) as { definition: Definition; align: Alignment };
        const { data: job } = await answer(
          api.POST('/api/v1/counts/whole', {
            body: { ...asked, draft: `whole ${bench}${page}` },
            signal: given.signal,
          }),
        );
        const end = await follow(job, () => {}, given.signal);
        setState({ whole: end.result?.whole, of: text });
      } catch (error) {
        if (given.signal.aborted) return;
        if (error instanceof ProblemError && error.problem.type === '/problems/cancelled') return;
        setState({ error, of: text });
      }
    })();
    return () => given.abort();
  }, [text, bench, page]);
  return state.of === text ? state : {};
}
