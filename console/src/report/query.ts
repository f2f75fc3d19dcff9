import type { paths } from '../api/schema.gen';

/** What is chosen of a report's entries, as the interface takes it. */
export type EntryQuery = NonNullable<paths['/api/v1/runs/{run}/entries']['get']['parameters']['query']>;

/** The parts of a report's address that choose entries. */
export const choosing = [
  'tray',
  'change',
  'status',
  'owner',
  'reason',
  'differs',
  'atLeast',
  'atMost',
  'in',
  'search',
  'sort',
  'desc',
] as const;

/** Reads what is chosen out of an address. All trays of exceptions are written "all". */
export function queryOf(params: URLSearchParams, tray: string): EntryQuery {
  const one = (name: string) => params.get(name) || undefined;
  const many = (name: string) => params.get(name)?.split(',').filter(Boolean);
  return {
    tray: tray === 'all' ? undefined : tray,
    change: many('change') as EntryQuery['change'],
    status: many('status') as EntryQuery['status'],
    owner: one('owner'),
    reason: one('reason'),
    differs: one('differs'),
    atLeast: one('atLeast'),
    atMost: one('atMost'),
    in: one('in'),
    search: one('search'),
    sort: one('sort') as EntryQuery['sort'],
    desc: params.get('desc') === 'true' || undefined,
  };
}

/** The same as the query of an address of the interface. */
export function addressOf(query: EntryQuery): URLSearchParams {
  const out = new URLSearchParams();
  for (const [name, value] of Object.entries(query)) {
    if (Array.isArray(value)) value.forEach((v) => out.append(name, v));
    else if (value !== undefined) out.set(name, String(value));
  }
  return out;
}

export const statuses = ['open', 'in-progress', 'explained', 'settled'] as const;
export type Status = (typeof statuses)[number];
export const statusWords: Record<string, string> = {
  open: 'open',
  'in-progress': 'in progress',
  explained: 'explained',
  settled: 'settled',
};

export const changes = ['new', 'still-open', 'changed', 'returned', 'cleared', 'absent'] as const;
export const changeWords: Record<string, string> = {
  new: 'new',
  'still-open': 'still open',
  changed: 'changed',
  returned: 'returned',
  cleared: 'cleared',
  absent: 'absent',
};
export const changeSays: Record<string, string> = {
  new: 'was never there before',
  'still-open': 'is as it was',
  changed: 'is in another tray, or its values have moved; what was explained is open again',
  returned: 'was cleared or absent in between',
  cleared: 'is there and matched now',
  absent: 'is in neither of the new snapshots, and stays open',
};

/** Whether a tray, or all of them, holds exceptions, which can be narrowed and worked on. */
export const exceptional = (tray: string) => tray !== 'matched' && tray !== 'excluded';
