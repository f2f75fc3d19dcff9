import type { ComparisonCount, Look, Summary } from '../api/client';

type Side = 'left' | 'right';

/** A part of a bar: how many records or rows it stands for, and the rows that it is a door to. */
export type Part = {
  id: string;
  label: string;
  n: number;
  side: Side | 'both';
  tray?: string;
  kept: boolean; // the comparison shows it
  door?: Partial<Look>;
};

/** The picture before it is drawn: each side by trays, and the rows of the comparison between them. */
export type Flow = { left: Part[]; right: Part[]; rows: Part[]; most: number };

const paired = ['matched', 'differing', 'surplus'];
const alone = { left: ['missing', 'unkeyed'], right: ['orphaned', 'unkeyed'] };

/** Whether a comparison shows a side's records with a partner, and those without. */
function keeps(look: Look, side: Side): [boolean, boolean] {
  if (look.dropped || look.tray) return [true, true];
  switch (look.comparison) {
    case 'inner':
      return [true, false];
    case 'left':
    case 'right':
      return [true, look.comparison === side];
    case 'left-semi':
    case 'right-semi':
      return [look.comparison === `${side}-semi`, false];
    case 'left-anti':
    case 'right-anti':
      return [false, look.comparison === `${side}-anti`];
    case 'full-anti':
      return [false, true];
    case 'separate':
      return [true, (look.kept ?? 'full') === 'full' || look.kept === side];
  }
  return [true, true];
}

/** What the picture shows for a comparison. */
export function flowOf(summary: Summary, look: Look, count?: ComparisonCount): Flow {
  const bar = (side: Side): Part[] => {
    const [together, lone] = keeps(look, side);
    const s = side === 'left' ? 0 : 1;
    return ['matched', 'differing', 'surplus', ...alone[side], 'excluded']
      .map((tray) => ({
        id: `${side} ${tray}`,
        label: tray,
        n: summary.trays.find((t) => t.tray === tray)?.records[s] ?? 0,
        side,
        tray,
        kept: paired.includes(tray) ? together : tray !== 'excluded' && lone,
        door: { comparison: look.comparison, tray: tray as Look['tray'], side, dropped: undefined },
      }))
      .filter((p) => p.n > 0);
  };
  const [left, right] = [bar('left'), bar('right')];
  const rows = rowsOf(summary, look, count).filter((p) => p.n > 0);
  const sum = (parts: Part[]) => parts.reduce((n, p) => n + p.n, 0);
  return { left, right, rows, most: Math.max(sum(left), sum(right), sum(rows), 1) };
}

function rowsOf(summary: Summary, look: Look, own?: ComparisonCount): Part[] {
  const of = (name: string) => summary.comparisons.find((c) => c.comparison === name)?.rows ?? 0;
  const part = (id: Look['comparison'], label: string, side: Part['side'], n = of(id)): Part => ({
    id: `rows ${id}`,
    label,
    n,
    side,
    kept: true,
    door: { comparison: id, tray: undefined, dropped: undefined, side: undefined },
  });
  const pairs = part('inner', 'pairs', 'both');
  const left = part('left-anti', 'without a partner', 'left');
  const right = part('right-anti', 'without a partner', 'right');
  switch (look.comparison) {
    case 'full':
      return [pairs, left, right];
    case 'inner':
      return [pairs];
    case 'left':
      return [pairs, left];
    case 'right':
      return [pairs, right];
    case 'left-semi':
    case 'right-semi':
      return [part(look.comparison, 'with a partner', look.comparison === 'left-semi' ? 'left' : 'right')];
    case 'left-anti':
      return [left];
    case 'right-anti':
      return [right];
    case 'full-anti':
      return [left, right];
    case 'separate': {
      const all = (side: Side) => keeps(look, side)[1];
      return [
        part('left-semi', 'with a partner', 'left'),
        ...(all('left') ? [left] : []),
        part('right-semi', 'with a partner', 'right'),
        ...(all('right') ? [right] : []),
      ];
    }
  }
  return [part(look.comparison, 'rows', 'both', own?.rows ?? of(look.comparison))];
}

/** A part with its place in a bar. */
export type Placed = Part & { y: number; h: number };

/** Stacks parts in a height, so that each that stands for something can be seen and pressed. */
export function stacked(parts: Part[], most: number, height: number): Placed[] {
  const least = 4;
  const gap = 2;
  const free = Math.max(0, height - parts.length * (least + gap));
  let y = 0;
  return parts.map((p) => {
    const h = least + (p.n / most) * free;
    const placed = { ...p, y, h };
    y += h + gap;
    return placed;
  });
}

/** Where labels stand so that none is on another: each at its part, or below the label before it. */
export function spread(centres: number[], line: number, height: number): number[] {
  const at: number[] = [];
  centres.forEach((c, i) => at.push(Math.max(c, i > 0 ? (at[i - 1] ?? 0) + line : 0)));
  let end = height;
  for (let i = at.length - 1; i >= 0; i--) {
    at[i] = Math.min(at[i] ?? 0, end);
    end = (at[i] ?? 0) - line;
  }
  return at;
}
