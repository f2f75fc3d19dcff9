import { Button, Table } from 'antd';
import type { Preview } from '../api/client';
import { Cell } from '../parts/Cell';
import { count } from '../parts/format';
import { TypeChoice } from './TypeChoice';

/** The first records as they would be read, and all that is to be said about them. */
export function PreviewTable({
  preview,
  mark,
  state,
}: {
  preview: Preview;
  mark: (blank: string) => void;
  state: (column: string, type: string) => void;
}) {
  const p = preview;
  return (
    <>
      <Table
        size="small"
        rowKey="number"
        pagination={false}
        scroll={{ x: 'max-content', y: 240 }}
        dataSource={p.records}
        locale={{ emptyText: 'There are columns, and no records.' }}
        columns={[
          { title: 'line', align: 'right', width: 60, render: (_, r) => <span className="dim">{r.line}</span> },
          ...p.columns.map((c, i) => ({
            key: c.name,
            title: (
              <>
                <div>{c.name}</div>
                <TypeChoice column={c.name} type={c.type} change={(type) => state(c.name, type)} />
              </>
            ),
            render: (_: unknown, r: (typeof p.records)[number]) => (
              <Cell text={r.cells[i]} marker={r.markers?.includes(i)} />
            ),
          })),
        ]}
      />
      <p className="say" style={{ margin: '6px 0' }}>
        Looked at {p.whole ? 'all' : 'the first'} {count(p.looked)} {p.looked === 1 ? 'record' : 'records'}.
        {p.rejected > 0 && ` ${count(p.rejected)} ${p.rejected === 1 ? 'line' : 'lines'} would be rejected:`}
      </p>
      {p.rejects.length > 0 && (
        <ul className="notes" aria-label="rejects">
          {p.rejects.slice(0, 5).map((r) => (
            <li key={`${r.line} ${r.text}`}>
              line {count(r.line)}: {r.reason} <span className="mono dim">{r.text.slice(0, 80)}</span>
            </li>
          ))}
        </ul>
      )}
      {p.footers.map((f) => (
        <p key={`${f.source} ${f.line}`} className="say" style={{ margin: '0 0 4px' }}>
          Line {count(f.line)} {f.source && `of ${f.source} `}is a footer and no record:{' '}
          <span className="mono">{f.text}</span>
        </p>
      ))}
      {(p.merged ?? 0) > 0 && (
        <p className="say" style={{ margin: '0 0 4px' }}>
          The records have {count(p.merged ?? 0)} merged {p.merged === 1 ? 'area' : 'areas'}; all of their cells but the
          first would be read as blank, unless merged cells are filled.
        </p>
      )}
      {p.blanks.map((b) => (
        <p key={b.text} className="say" style={{ margin: '0 0 4px' }}>
          {count(b.records)} {b.records === 1 ? 'cell is' : 'cells are'} <span className="mono">{b.text}</span>, which
          is a value unless you say that it means blank.{' '}
          <Button size="small" onClick={() => mark(b.text)}>
            Take {b.text} as blank
          </Button>
        </p>
      ))}
    </>
  );
}
