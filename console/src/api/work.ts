import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { answer, api, type ReportChange, type WorkChange } from './client';
import { stream } from './stream';

export const useReasons = () =>
  useQuery({ queryKey: ['reasons'], queryFn: async () => (await answer(api.GET('/api/v1/reasons'))).data.reasons });

export const changeEntry = async (run: number, entry: string, version: number, change: WorkChange) =>
  (
    await answer(
      api.PUT('/api/v1/runs/{run}/entries/{entry}/work', {
        params: { path: { run, entry }, header: { 'If-Match': `"${version}"` } },
        body: change,
      }),
    )
  ).data;

export const undo = async (run: number, action: number) =>
  (await answer(api.POST('/api/v1/runs/{run}/actions/{action}/undo', { params: { path: { run, action } } }))).data;

/**
 * Follows what others change in a report, and lets whatever shows it be read anew. Returns what was done last, in words. When the connection was
 * lost, or the page hidden, what happened meanwhile is read as soon as it is there again.
 */
export function useLive(run: number, me: string | undefined): string {
  const queries = useQueryClient();
  const [told, setTold] = useState('');
  useEffect(() => {
    let late: ReturnType<typeof setTimeout> | undefined;
    // Many changes come one after another; what they change is read once.
    const anew = () => {
      clearTimeout(late);
      late = setTimeout(() => {
        for (const key of ['entries', 'entry', 'talk', 'signoff', 'actions'])
          void queries.invalidateQueries({ queryKey: [key, run] });
      }, 100);
    };
    const stop = stream(
      `/api/v1/runs/${run}/events`,
      'change',
      (data) => {
        const change = JSON.parse(data) as ReportChange;
        if (change.by && change.by !== me) setTold(`${change.by}: ${change.says}`);
        anew();
      },
      { ask: anew, again: anew },
    );
    return () => {
      clearTimeout(late);
      stop();
    };
  }, [run, me, queries]);
  return told;
}
