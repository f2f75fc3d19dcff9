import { answer, api, type Access, type Connection } from './client';

export const connections = async () => (await answer(api.GET('/api/v1/connections'))).data.connections;

export const tables = async (connection: string) =>
  (await answer(api.GET('/api/v1/connections/{connection}/tables', { params: { path: { connection } } }))).data.tables;

/** Saves a connection: a new one, or what is different of one that is there. No password keeps the one that is kept. */
export async function save(name: string, access: Access, password?: string, before?: Connection): Promise<void> {
  if (!before) {
    await answer(api.POST('/api/v1/connections', { body: { name, ...access, password } }));
    return;
  }
  await answer(
    api.PUT('/api/v1/connections/{connection}', {
      params: { path: { connection: name }, header: { 'If-Match': `"${before.version}"` } },
      body: { ...access, password },
    }),
  );
}

export async function remove(c: Connection): Promise<void> {
  await answer(
    api.DELETE('/api/v1/connections/{connection}', {
      params: { path: { connection: c.name }, header: { 'If-Match': `"${c.version}"` } },
    }),
  );
}
