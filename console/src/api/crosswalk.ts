import { answer, api, type Decision } from './client';

export const crosswalk = async (name: string) =>
  (await answer(api.GET('/api/v1/sieves/{name}/crosswalk', { params: { path: { name } } }))).data;

/** Accepts keys as the same, or refuses that they are. */
export const decide = async (name: string, decision: Decision) =>
  (
    await answer(
      api.POST('/api/v1/sieves/{name}/crosswalk', {
        params: { path: { name } },
        body: decision,
      }),
    )
  ).data;

export const takeBack = async (name: string, entry: number) =>
  (
    await answer(
      api.DELETE('/api/v1/sieves/{name}/crosswalk/{entry}', {
        params: { path: { name, entry } },
      }),
    )
  ).data;

/** Takes in a CSV file of pairs of keys. */
export const takeFile = async (name: string, file: File, confirm: boolean) =>
  (
    await answer(
      api.POST('/api/v1/sieves/{name}/crosswalk/import', {
        params: { path: { name }, query: { reason: file.name, confirm } },
        body: file as unknown as string,
        bodySerializer: (body) => body,
        headers: { 'Content-Type': 'text/csv' },
      }),
    )
  ).data;
