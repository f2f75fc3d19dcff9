/** A count with its thousands apart. */
export const count = (n: number) => n.toLocaleString('en');

/** With how many places a plain number is written: as many as it has, and two where it has one, as amounts are. */
export function places(plain: string): number {
  const n = (plain.split('.')[1] ?? '').length;
  return n === 1 ? 2 : n;
}

/** A plain number of any length, with its thousands apart and at least so many places. It is never made a float. */
export function amount(plain: string, least = 0): string {
  const negative = plain.startsWith('-');
  const [whole = '0', fraction = ''] = plain.replace('-', '').split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, ',');
  const rest = fraction.padEnd(least, '0');
  return (negative ? '−' : '') + grouped + (rest ? `.${rest}` : '');
}

/** The same, with a plus where it is above zero. */
export const change = (plain: string, least = 0) =>
  (plain.startsWith('-') || plain === '0' ? '' : '+') + amount(plain, least);

export const when = (iso: string) =>
  new Date(iso).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
  });

export function bytes(n: number): string {
  for (const unit of ['bytes', 'KB', 'MB', 'GB']) {
    if (n < 1024 || unit === 'GB') return `${unit === 'bytes' ? n : n.toFixed(1)} ${unit}`;
    n /= 1024;
  }
  return '';
}

/** A text with the spaces at its ends made visible, for they are easily overlooked. */
export const visible = (text: string) => text.replace(/^\s+|\s+$/g, (spaces) => '␣'.repeat(spaces.length));
