import { ProblemError, type Definition, type KeyPart } from '../api/client';

/** What a new sieve starts from. */
export const empty: Definition = { name: '', left: '', right: '', key: [{ left: '', right: '' }], compare: [] };

/** Whether a definition has all that counting it needs. */
export const complete = (d: Definition) =>
  d.left !== '' &&
  d.right !== '' &&
  d.key.length > 0 &&
  [...d.key, ...(d.compare ?? []), ...(d.currency ? [d.currency] : [])].every((p) => p.left !== '' && p.right !== ''); // no right: named alike on both sides

/** The definition with its sides exchanged. */
export function swapped(d: Definition): Definition {
  const turn = (text: string) =>
    text.startsWith('left ') ? `right ${text.slice(5)}` : text.startsWith('right ') ? `left ${text.slice(6)}` : text;
  const part = <T extends KeyPart>(p: T): T => ({
    ...p,
    left: p.right ?? p.left,
    right: p.left,
    ...(p.readings && { readings: p.readings.map(turn) }),
  });
  const rules: Record<string, string> = { 'refuse-left': 'refuse-right', 'refuse-right': 'refuse-left' };
  const where = d.where && {
    ...(d.where.right && { left: d.where.right }),
    ...(d.where.left && { right: d.where.left }),
  };
  return {
    ...d,
    ...(where && { where }),
    ...(d.repeats && { repeats: (rules[d.repeats] ?? d.repeats) as Definition['repeats'] }),
    left: d.right,
    right: d.left,
    key: d.key.map(part),
    compare: (d.compare ?? []).map(part),
    ...(d.amounts && { amounts: d.amounts.map(part) }),
    ...(d.currency && { currency: part(d.currency) }),
  };
}

/** The value with one of its parts set, or without it where there is nothing to set. */
export const without = <T extends object>(value: T, name: keyof T, next: unknown): T => {
  const copy = { ...value, [name]: next };
  if (next === undefined || next === '') delete copy[name];
  return copy;
};

/** What the service finds wrong at a place of the definition, where it says so. */
export const faultAt = (error: unknown, place: string) =>
  error instanceof ProblemError ? error.problem.faults?.find((f) => f.where.startsWith(place))?.what : undefined;

/** Whether a problem is shown beside the row that it is about. */
export const placed = (error: unknown) =>
  ['key[', 'compare[', 'currency'].some((place) => faultAt(error, place) !== undefined);
