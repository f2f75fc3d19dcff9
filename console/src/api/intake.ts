import { answer, api, type Choices, type Job, ProblemError, type Recipe, type SourceRef, type Upload } from './client';

/** Sends a file to the service, which keeps it until it is loaded. */
export async function send(name: string, file: Blob, signal?: AbortSignal): Promise<Upload> {
  const response = await fetch(`/api/v1/uploads?${new URLSearchParams({ name })}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: file,
    signal,
  });
  const body = await response.json();
  if (!response.ok) throw new ProblemError(body);
  return body as Upload;
}

export async function forget(upload: string): Promise<void> {
  await answer(api.DELETE('/api/v1/uploads/{upload}', { params: { path: { upload } } }));
}

export const preview = async (source: SourceRef, choices: Choices, signal?: AbortSignal) =>
  (await answer(api.POST('/api/v1/previews', { body: { source, choices }, signal }))).data;

export async function load(name: string, recipe: Recipe): Promise<Job> {
  return (await answer(api.POST('/api/v1/sets/{name}/snapshots', { params: { path: { name } }, body: recipe }))).data;
}

export async function reload(name: string, source: SourceRef): Promise<Job> {
  return (await answer(api.POST('/api/v1/sets/{name}/reload', { params: { path: { name } }, body: { source } }))).data;
}
