import type { Ask, Look } from '../api/client';

export type Comparison = Look['comparison'];

/** The comparisons of whole records. */
export const wholes: Comparison[] = ['union', 'union-all', 'intersect', 'intersect-all', 'except', 'except-all'];

/** Those whose rows have the columns of both sides, so that a filter on one of them holds for the others, too. */
const sideBySide: Comparison[] = ['full', 'inner', 'left', 'right', 'full-anti', 'cross', 'by-position'];

/** The look with another comparison. A filter, a sort and chosen columns stay where the columns do. */
export function turned(look: Look, to: Partial<Look>): Look {
  const next: Look = {
    comparison: to.comparison ?? look.comparison,
    kept: look.kept,
    align: look.align,
    labels: look.labels,
    fill: look.fill,
    ...to,
  };
  const whole = (l: Look) => !l.dropped && !l.tray && sideBySide.includes(l.comparison);
  if (whole(look) && whole(next)) {
    next.where = look.where;
    next.sort = look.sort;
    next.columns = look.columns;
    next.prefix = look.prefix;
  }
  return next;
}

/** What is asked, without what stands for nothing, so that equal questions are equal texts. */
export function tidy(ask: Ask): Ask {
  const look = Object.fromEntries(
    Object.entries(ask.look).filter(
      ([, v]) => v !== undefined && v !== '' && v !== false && !(Array.isArray(v) && v.length === 0),
    ),
  ) as Look;
  return { ...ask, look };
}

const words = new Set(
  'true false null in as break const continue else for function if import let loop package namespace return var void while'.split(
    ' ',
  ),
);

/** A column as an expression names it. */
export const named = (column: string) =>
  /^[A-Za-z_]\w*$/.test(column) && !words.has(column) ? column : `column(${JSON.stringify(column)})`;

/** What can be said of a column without writing an expression, by the kind of its type. */
export const operators = {
  text: ['is', 'is not', 'contains', 'begins with', 'ends with', 'is blank', 'is not blank'],
  number: ['=', '≠', '<', '≤', '>', '≥', 'is blank', 'is not blank'],
  date: ['on', 'not on', 'before', 'not after', 'after', 'not before', 'is blank', 'is not blank'],
};

export function kindOf(type: string): keyof typeof operators {
  if (type.startsWith('integer') || type.startsWith('decimal')) return 'number';
  return type.startsWith('date ') ? 'date' : 'text';
}

export type Condition = { column: string; type: string; operator: string; value: string };

const signs: Record<string, string> = {
  is: '==',
  'is not': '!=',
  '=': '==',
  '≠': '!=',
  '<': '<',
  '≤': '<=',
  '>': '>',
  '≥': '>=',
  on: '==',
  'not on': '!=',
  before: '<',
  'not after': '<=',
  after: '>',
  'not before': '>=',
};

/** The expression that says the same as a condition. */
export function expressed({ column, type, operator, value }: Condition): string {
  const name = named(column);
  if (operator === 'is blank') return `${name} == ""`;
  if (operator === 'is not blank') return `${name} != ""`;
  const quoted = JSON.stringify(value);
  const method = { contains: 'contains', 'begins with': 'startsWith', 'ends with': 'endsWith' }[operator];
  if (method) return `${name}.${method}(${quoted})`;
  const sign = signs[operator] ?? '==';
  switch (kindOf(type)) {
    case 'number':
      return `number(${name}${type.endsWith('comma') ? ', "comma"' : ''}) ${sign} ${value.trim() || '0'}`;
    case 'date':
      return `date(${name}, ${JSON.stringify(type.slice(5))}) ${sign} date(${quoted})`;
  }
  return `${name} ${sign} ${quoted}`;
}
