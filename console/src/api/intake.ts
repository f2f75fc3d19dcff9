import {
  answer,
  api,
  type Choices,
  type Job,
  type Problem,
  problem,
  type Recipe,
  type SourceRef,
  type Upload,
} from './client';

/** Sends a file to the service, which keeps it until it is loaded. Tells how many bytes have gone, which fetch cannot. */
export function send(
  name: string,
  file: Blob,
  options: { signal?: AbortSignal; sent?: (bytes: number) => void } = {},
): Promise<Upload> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', `/api/v1/uploads?${new URLSearchParams({ name })}`);
    request.setRequestHeader('Content-Type', 'application/octet-stream');
    request.responseType = 'json';
    request.upload.onprogress = (event) => options.sent?.(event.loaded);
    request.onload = () => {
      if (request.status === 201) resolve(request.response as Upload);
      else if (request.response) reject(problem(request.response as Problem));
      else reject(new Error(`The service answered ${request.status}.`));
    };
    request.onerror = () => reject(new TypeError('The service does not answer.'));
    request.onabort = () => reject(new DOMException('No longer wanted', 'AbortError'));
    options.signal?.addEventListener('abort', () => request.abort());
    request.send(file);
  });
}

export async function forget(upload: string): Promise<void> {
  await answer(api.DELETE('/api/v1/uploads/{upload}', { params: { path: { upload } } }));
}

export const preview = async (source: SourceRef, choices: Choices, signal?: AbortSignal) =>
  (await answer(api.POST('/api/v1/previews', { body: { source, choices }, signal }))).data;

export async function load(name: string, recipe: Recipe): Promise<Job> {
  return (await answer(api.POST('/api/v1/sets/{name}/snapshots', { params: { path: { name } }, body: recipe }))).data;
}

export async function reload(name: string, source: SourceRef, asDetected: boolean): Promise<Job> {
  const body = { source, asDetected };
  return (await answer(api.POST('/api/v1/sets/{name}/reload', { params: { path: { name } }, body }))).data;
}
