import type { TableColumnType } from 'antd';
import type { Entry, Run } from '../api/client';
import { Cell } from '../parts/Cell';
import { change } from '../parts/format';
import { Glyph } from '../parts/Glyph';
import { EntryName } from '../parts/EntryName';
import { Total } from '../parts/Total';
import { changeSays, changeWords, exceptional, statusWords } from './query';

const pairs = ['matched', 'differing'];

/** The columns of the entries: the key, each compared field of both sides with its difference, and why it is there. */
export function columnsOf(run: Run, tray: string, open: (entry: Entry) => void): TableColumnType<Entry>[] {
  const rejects = tray === 'reject'; // lines, which have no cells
  const fields = rejects ? [] : (run.definition.compare ?? []);
  const [left, right] = run.sides;
  const list: TableColumnType<Entry>[] = [
    { title: '', key: 'glyph', width: 28, render: (_, e) => <Glyph tray={e.tray} /> },
    {
      title: rejects ? 'line' : 'key',
      key: 'key',
      render: (_, e) => (
        <>
          <button type="button" className="link" onClick={() => open(e)} data-entry={e.id}>
            <EntryName entry={e} />
          </button>
          <CarriedFrom entry={e} />
        </>
      ),
    },
  ];
  if (exceptional(tray)) {
    if (run.since)
      list.push({
        title: 'since then',
        key: 'change',
        render: (_, e) =>
          e.work && (
            <>
              <span className={`mark ${e.work.change}`} title={changeSays[e.work.change]}>
                {changeWords[e.work.change]}
              </span>
            </>
          ),
      });
    list.push(
      {
        title: 'status',
        key: 'status',
        render: (_, e) => <span className={`chip ${e.status}`}>{statusWords[e.status ?? ''] ?? e.status}</span>,
      },
      { title: 'owner', key: 'owner', render: (_, e) => e.work?.owner },
      {
        title: '',
        key: 'said',
        render: (_, e) => {
          const n = (e.work?.comments ?? 0) + (e.work?.attachments ?? 0);
          return (
            n > 0 && (
              <span className="dim" title={`${n} in the conversation`}>
                ✎{n}
              </span>
            )
          );
        },
      },
    );
  }
  const paired = pairs.includes(tray);
  fields.forEach((f, i) => {
    const names = [f.left, f.right ?? f.left];
    const align = f.as === 'decimal' ? ('right' as const) : undefined;
    [left, right].forEach((side, s) => {
      const at = side.columns.indexOf(names[s] ?? '');
      list.push({
        title: names[s],
        key: `${i} ${s}`,
        align,
        onHeaderCell: () => ({ className: s === 0 ? 'l' : 'r' }),
        render: (_, e) => {
          const record = s === 0 ? e.left : e.right;
          const totals = e.group && e.fields?.[i]?.totals;
          if (e.reject) return null;
          if (totals) return <Total totals={totals} side={s} />;
          if (record && (e.group?.records[s] ?? 1) > 1)
            return (
              <>
                <Cell text={record.cells[at]} /> <span className="dim">and others</span>
              </>
            );
          return record ? <Cell text={record.cells[at]} /> : <span>no partner</span>;
        },
        onCell: (e) => {
          if (!(s === 0 ? e.left : e.right)) return { className: e.reject ? '' : 'none' };
          return { className: s === 1 && e.fields?.[i]?.agrees === false ? 'skewed' : 'plain-cell' };
        },
      });
    });
    if (paired && f.as && ['decimal', 'date', 'time'].includes(f.as))
      list.push({
        title: f.as === 'date' ? 'days' : f.as === 'time' ? 'seconds' : 'difference',
        key: `${i} difference`,
        align: 'right',
        render: (_, e) => {
          const d = e.fields?.[i]?.difference;
          return d === undefined ? '' : <span className="mono">{change(d)}</span>;
        },
      });
  });
  list.push({ title: 'why', key: 'why', render: (_, e) => <span className="dim">{e.reason}</span> });
  return list;
}

/** From which run the records of an entry are carried into this one, where they are. */
export function CarriedFrom({ entry }: { entry: Entry }) {
  const listed = entry.group ? entry.group.listed.flat() : [];
  const runs = [entry.left, entry.right, ...listed].flatMap((r) => r?.run ?? []);
  if (runs.length === 0) return null;
  const told = [...new Set(runs)].sort((a, b) => a - b).join(', ');
  return (
    <span className="mark carried" title="Its record is in none of the run's snapshots: it is carried into this run.">
      from run {told}
    </span>
  );
}
