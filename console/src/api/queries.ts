import { useQuery } from '@tanstack/react-query';
import { answer, api } from './client';

export const useSets = () =>
  useQuery({ queryKey: ['sets'], queryFn: async () => (await answer(api.GET('/api/v1/sets'))).data.sets });

export const useSieves = () =>
  useQuery({ queryKey: ['sieves'], queryFn: async () => (await answer(api.GET('/api/v1/sieves'))).data.sieves });

export const useReadings = () =>
  useQuery({
    queryKey: ['readings'],
    queryFn: async () => (await answer(api.GET('/api/v1/readings'))).data.readings,
    staleTime: Infinity,
  });

export const useRuns = () =>
  useQuery({ queryKey: ['runs'], queryFn: async () => (await answer(api.GET('/api/v1/runs'))).data.runs });

export const useRun = (run: number) =>
  useQuery({
    queryKey: ['run', run],
    queryFn: async () => (await answer(api.GET('/api/v1/runs/{run}', { params: { path: { run } } }))).data,
  });
