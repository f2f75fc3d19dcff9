import { type QueryKey, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';

/** Something that is done at a press: what went wrong with it last, whether it is under way; what it may have changed is read anew after it. */
export function useDoing(...stale: QueryKey[]) {
  const queries = useQueryClient();
  const [failed, setFailed] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  async function act(what: () => Promise<unknown>) {
    setBusy(true);
    setFailed(undefined);
    try {
      await what();
    } catch (error) {
      setFailed(error);
    }
    setBusy(false);
    for (const queryKey of stale) await queries.invalidateQueries({ queryKey });
  }
  return { act, failed, busy };
}
