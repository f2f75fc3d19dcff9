import { type QueryKey, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';

/**
 * Something that is done at a press: what went wrong with it last, and whether it is under way; what it may have changed is read anew after
 * it. A second press while the first is under way does nothing.
 */
export function useDoing(...stale: QueryKey[]) {
  const queries = useQueryClient();
  const [failed, setFailed] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const locked = useRef(false); // at once, which state is not
  /** Reports whether it was done. */
  async function act(what: () => Promise<unknown>): Promise<boolean> {
    if (locked.current) return false;
    locked.current = true;
    setBusy(true);
    setFailed(undefined);
    let done = true;
    try {
      await what();
    } catch (error) {
      setFailed(error);
      done = false;
    }
    locked.current = false;
    setBusy(false);
    await Promise.all(stale.map((queryKey) => queries.invalidateQueries({ queryKey })));
    return done;
  }
  const forgive = () => setFailed(undefined);
  return { act, failed, busy, forgive };
}
