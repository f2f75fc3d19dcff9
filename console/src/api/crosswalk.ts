import { answer, api, type Decision } from './client';
import { whoAmI } from './who';

export const crosswalk = async (name: string) =>
  (await answer(api.GET('/api/v1/sieves/{name}/crosswalk', { params: { path: { name } } }))).data;

/** Accepts keys as the same, or refuses that they are, under the name of who sits here. */
export const decide = async (name: string, decision: Decision) =>
  (
    await answer(
      api.POST('/api/v1/sieves/{name}/crosswalk', {
        params: { path: { name } },
        body: { ...decision, by: whoAmI() },
      }),
    )
  ).data;

export const takeBack = async (name: string, entry: number) =>
  (
    await answer(
      api.DELETE('/api/v1/sieves/{name}/crosswalk/{entry}', {
        params: { path: { name, entry }, query: { by: whoAmI() } },
      }),
    )
  ).data;

/** Takes in a CSV file of pairs of keys. */
export const takeFile = async (name: string, file: File, confirm: boolean) =>
  (
    await answer(
      api.POST('/api/v1/sieves/{name}/crosswalk/import', {
        params: { path: { name }, query: { by: whoAmI(), reason: file.name, confirm } },
        body: file as unknown as string,
        bodySerializer: (body) => body,
        headers: { 'Content-Type': 'text/csv' },
      }),
    )
  ).data;
