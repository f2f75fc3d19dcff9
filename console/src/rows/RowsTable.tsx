import { Button, InputNumber, Table, type TableColumnType, type TableProps } from 'antd';
import type { Row, RowColumn, Rows, SortBy, Totals } from '../api/client';
import { Cell } from '../parts/Cell';
import { amount, count } from '../parts/format';

const classOf = (c: RowColumn) => ({ left: 'l', right: 'r' })[c.side as 'left' | 'right'] ?? '';

/** The page of rows that is shown, and how to turn to another. */
export function RowsTable(p: {
  rows: Rows;
  loading: boolean;
  size: number;
  turn: (first: number) => void;
  sort: SortBy[];
  sortBy?: (sort: SortBy[]) => void; // none: the columns are those of another comparison, whose rows are on their way
  totals?: Totals;
  selection?: TableProps<Row>['rowSelection'];
  height?: number;
}) {
  const { rows } = p;
  return (
    <>
      <Table
        size="small"
        rowKey={(r) => `${r.left ?? 0} ${r.right ?? 0}`}
        pagination={false}
        loading={p.loading}
        dataSource={rows.rows}
        rowSelection={p.selection}
        columns={rows.columns.map((c, i) => columnOf(c, i, p.sort, p.sortBy))}
        scroll={{ x: 'max-content', y: p.height ?? 340 }}
        locale={{
          emptyText: p.loading ? ' ' : rows.left ? 'The filter leaves out every row.' : 'This comparison has no row.',
        }}
        summary={() =>
          p.totals && p.totals.columns.length > 0 && <Foot rows={rows} totals={p.totals} selected={!!p.selection} />
        }
      />
      <Pager
        first={rows.first}
        shown={p.loading ? undefined : rows.rows.length}
        total={rows.total}
        size={p.size}
        turn={p.turn}
      />
    </>
  );
}

/** Sorting by a column: upwards, downwards, not at all; with more than one, the one that was chosen first counts most. */
function nextSort(sort: SortBy[], column: string, more: boolean): SortBy[] {
  const at = sort.findIndex((s) => s.column === column);
  const now = sort[at];
  const others = more ? sort.filter((s) => s.column !== column) : [];
  if (!now) return [...others, { column }];
  if (now.descending) return others;
  return more
    ? sort.map((s) => (s.column === column ? { ...s, descending: true } : s))
    : [{ ...now, descending: true }];
}

function columnOf(c: RowColumn, i: number, sort: SortBy[], sortBy?: (sort: SortBy[]) => void): TableColumnType<Row> {
  const at = sort.findIndex((s) => s.column === c.column);
  const by = sort[at];
  const arrow = by ? (by.descending ? '↓' : '↑') + (sort.length > 1 ? at + 1 : '') : '';
  return {
    key: c.name,
    align: c.number ? 'right' : undefined,
    title: (
      <button
        type="button"
        className={`sort ${classOf(c)}`}
        title={`Sort by ${c.column} (${c.type}); with Shift, after what is sorted by already`}
        disabled={!sortBy}
        onClick={(event) => sortBy?.(nextSort(sort, c.column, event.shiftKey))}
      >
        {c.name} {arrow && <b aria-label={by?.descending ? 'sorted downwards' : 'sorted upwards'}>{arrow}</b>}
      </button>
    ),
    render: (_, row) => {
      if (lacks(row, c)) return <span>no partner</span>;
      return <Cell text={row.cells[i]} marker={row.markers?.includes(i)} />;
    },
    onCell: (row) => ({ className: lacks(row, c) ? 'none' : 'plain-cell' }),
  };
}

const lacks = (row: Row, c: RowColumn) => (c.side === 'left' && !row.left) || (c.side === 'right' && !row.right);

function Foot({ rows, totals, selected }: { rows: Rows; totals: Totals; selected: boolean }) {
  return (
    <Table.Summary fixed>
      <Table.Summary.Row>
        {selected && <Table.Summary.Cell index={0} />}
        {rows.columns.map((c, i) => {
          const t = totals.columns.find((t) => t.column === c.name);
          const aside = t && [
            t.blank > 0 && `${count(t.blank)} blank`,
            t.unreadable > 0 && `${count(t.unreadable)} unreadable`,
          ];
          return (
            <Table.Summary.Cell key={c.name} index={i + (selected ? 1 : 0)} align={c.number ? 'right' : undefined}>
              {t && (
                <b className="mono" data-total={c.name} title={aside?.filter(Boolean).join(', ') || undefined}>
                  Σ {amount(t.sum)}
                </b>
              )}
            </Table.Summary.Cell>
          );
        })}
      </Table.Summary.Row>
    </Table.Summary>
  );
}

/** Which rows are shown, and the way to others. While they are on their way, nothing is said of them. */
function Pager(p: { first: number; shown?: number; total: number; size: number; turn: (first: number) => void }) {
  const last = Math.max(0, Math.floor((p.total - 1) / p.size) * p.size);
  return (
    <div className="pager" role="group" aria-label="Pages">
      <span aria-live="polite" data-testid="shown">
        {p.shown === undefined
          ? '…'
          : p.shown === 0
            ? 'no rows'
            : `rows ${count(p.first + 1)} to ${count(p.first + p.shown)} of ${count(p.total)}`}
      </span>
      {p.total > p.size && (
        <>
          <Button size="small" disabled={p.first === 0} onClick={() => p.turn(0)}>
            First
          </Button>
          <Button size="small" disabled={p.first === 0} onClick={() => p.turn(Math.max(0, p.first - p.size))}>
            Back
          </Button>
          <Button size="small" disabled={p.first >= last} onClick={() => p.turn(p.first + p.size)}>
            On
          </Button>
          <Button size="small" disabled={p.first >= last} onClick={() => p.turn(last)}>
            Last
          </Button>
          <InputNumber
            size="small"
            min={1}
            max={p.total}
            placeholder="go to row"
            aria-label="Go to row"
            controls={false}
            style={{ width: 90 }}
            onPressEnter={(event) => {
              const n = Number(event.currentTarget.value);
              if (n >= 1 && n <= p.total) p.turn(n - 1);
            }}
          />
        </>
      )}
    </div>
  );
}
