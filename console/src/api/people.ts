import { useQuery } from '@tanstack/react-query';
import { answer, api, type Person } from './client';

export const useMe = () =>
  useQuery({
    queryKey: ['me'],
    queryFn: async () => (await answer(api.GET('/api/v1/me'))).data,
    staleTime: 60_000,
  });

const ranks = { reader: 1, analyst: 2, admin: 3 };

/** Whether who is signed in may do what a role may. */
export function useMay(role: Person['role']): boolean {
  const me = useMe();
  return !!me.data && ranks[me.data.role] >= ranks[role];
}

export const usePeople = () =>
  useQuery({ queryKey: ['people'], queryFn: async () => (await answer(api.GET('/api/v1/people'))).data.people });

export const signIn = (name: string, password: string) =>
  answer(api.POST('/api/v1/signin', { body: { name, password } }));

export const signOut = () => answer(api.POST('/api/v1/signout'));
