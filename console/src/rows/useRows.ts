import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Ask, type Job, type Rows } from '../api/client';
import { begin } from '../api/jobs';
import { tidy } from './look';

/**
 * A page of rows. Where they have to be made ready first, the job that does so is told, and given up when nobody waits any more. Until they
 * are there the rows of before are at hand, for their columns; shown says whether the rows are those that are asked for, and same whether they
 * answer the same question, perhaps on another of its pages; of is what they were asked with.
 */
export function useRows(ask: Ask | undefined, first: number, limit: number) {
  const [job, setJob] = useState<Job>();
  const asked = ask && tidy(ask);
  const question = JSON.stringify(asked);
  const rows = useQuery({
    queryKey: ['rows', question, first, limit],
    enabled: asked !== undefined,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }): Promise<{ of: string; page: Rows }> => {
      for (;;) {
        const { data } = await answer(api.POST('/api/v1/rows', { body: { ...asked!, first, limit }, signal }));
        if (!data.job) return { of: question, page: data };
        const begun = data.job;
        try {
          await begin(async () => begun, setJob, signal);
        } finally {
          setJob(undefined);
        }
      }
    },
  });
  const { data, error } = rows;
  return {
    data: data?.page,
    error,
    job,
    shown: data !== undefined && !rows.isPlaceholderData,
    same: data?.of === question,
    of: data && (JSON.parse(data.of) as Ask),
  };
}
