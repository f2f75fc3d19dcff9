import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Input, Radio, Select, Table } from 'antd';
import { useState } from 'react';
import { answer, api, type Preview, type SourceRef } from '../api/client';
import { useSets } from '../api/queries';
import { Cell } from '../parts/Cell';
import { Choice } from '../parts/Choice';
import { Fault } from '../parts/Fault';
import { MakeSet } from '../parts/MakeSet';
import { Origins } from '../parts/Origins';
import { useUnsaved } from '../parts/useUnsaved';

type Part = { set: string; label: string; rename: Record<string, string> };

/** Makes one record set of several, one under another. */
export function Stack() {
  const sets = useSets();
  const [parts, setParts] = useState<Part[]>([]);
  const [origin, setOrigin] = useState('origin');
  const [common, setCommon] = useState(false);
  const source: SourceRef = {
    stack: parts.map((p) => ({ set: p.set, label: p.label || p.set, rename: p.rename })),
    origin: origin || 'origin',
    common,
  };
  const [made, setMade] = useState('');
  const now = JSON.stringify(source);
  useUnsaved(parts.length > 0 && made !== now, 'This stack');
  const preview = useQuery({
    queryKey: ['stack', now],
    enabled: parts.length > 1,
    placeholderData: keepPreviousData,
    queryFn: async () => (await answer(api.POST('/api/v1/previews', { body: { source, choices: {} } }))).data,
  });
  const change = (i: number, part: Partial<Part>) => setParts(parts.map((p, j) => (j === i ? { ...p, ...part } : p)));
  const shown = preview.error || parts.length < 2 ? undefined : preview.data;
  // While the next preview is on its way, what is chosen stays where it is; what the last one says of the records does not.
  const fresh = !preview.isPlaceholderData;
  const told = { visibility: fresh ? undefined : ('hidden' as const) };
  return (
    <>
      <div className="title">
        <div>
          <h1>Stack record sets</h1>
          <p className="say">
            One under another, with columns aligned by name. The new set knows what it was made from, and is stacked
            anew when one of those has a newer snapshot.
          </p>
        </div>
        <MakeSet source={shown && fresh ? source : undefined} made={() => setMade(now)} />
      </div>
      <div className="choices">
        <Choice label="record sets, in this order">
          <Select
            showSearch
            mode="multiple"
            size="small"
            style={{ minWidth: 380 }}
            aria-label="Record sets to stack"
            placeholder="two or more"
            value={parts.map((p) => p.set)}
            options={(sets.data ?? []).map((s) => ({ value: s.name, label: s.name }))}
            onChange={(names: string[]) =>
              setParts(names.map((set) => parts.find((p) => p.set === set) ?? { set, label: '', rename: {} }))
            }
          />
        </Choice>
        <Choice label="column of the origin">
          <Input
            size="small"
            style={{ width: 140 }}
            aria-label="Column of the origin"
            value={origin}
            onChange={(event) => setOrigin(event.target.value)}
          />
        </Choice>
        <Choice label="columns that not all have">
          <Radio.Group
            size="small"
            value={common}
            onChange={(event) => setCommon(event.target.value as boolean)}
            options={[
              { value: false, label: 'are filled with blanks' },
              { value: true, label: 'are left out' },
            ]}
          />
        </Choice>
      </div>
      <Fault error={parts.length > 1 ? preview.error : undefined} />
      {parts.length < 2 && <p className="panel empty">Choose two record sets or more; how they fit appears here.</p>}
      {shown && shown.parts.length === parts.length && (
        <>
          <div className="stacking">
            <div className="panel">
              <h2>Where records come from</h2>
              <div style={told} aria-busy={!fresh}>
                <Origins origins={shown.parts.map((p) => ({ label: p.label, records: p.records }))} />
              </div>
              <div className="choices" style={{ margin: '8px 0 0' }}>
                {parts.map((p, i) => (
                  <Choice key={p.set} label={`label of ${p.set}`}>
                    <Input
                      size="small"
                      style={{ width: 120 }}
                      aria-label={`label of ${p.set}`}
                      placeholder={p.set}
                      value={p.label}
                      onChange={(event) => change(i, { label: event.target.value })}
                    />
                  </Choice>
                ))}
              </div>
            </div>
            <Mapping parts={parts} preview={shown} change={change} />
          </div>
          <div style={told}>
            <FirstRecords preview={shown} />
          </div>
        </>
      )}
    </>
  );
}

/** Which column of each set stands under which name; a column that says the same under another name is mapped to it. */
function Mapping(p: { parts: Part[]; preview: Preview; change: (i: number, part: Partial<Part>) => void }) {
  const names = [...new Set(p.preview.parts.flatMap((part, i) => part.columns.map((c) => p.parts[i]?.rename[c] ?? c)))];
  return (
    <div className="panel" style={{ overflowX: 'auto' }}>
      <h2>
        Columns <small>choose which column of a set says the same</small>
      </h2>
      <table className="plain">
        <thead>
          <tr>
            <th>in the stack</th>
            {p.parts.map((part) => (
              <th key={part.set}>{part.set}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {names.map((name) => (
            <tr key={name}>
              <td>{name}</td>
              {p.parts.map((part, i) => {
                const columns = p.preview.parts[i]?.columns ?? [];
                const here = columns.find((c) => (part.rename[c] ?? c) === name);
                return (
                  <td key={part.set}>
                    <Select
                      showSearch
                      size="small"
                      style={{ width: 128 }}
                      aria-label={`${name} in ${part.set}`}
                      placeholder="blank"
                      allowClear={here !== undefined && here !== name}
                      status={here === undefined ? 'warning' : undefined}
                      value={here}
                      options={columns.map((c) => ({ value: c, label: c }))}
                      onChange={(column: string | undefined) => {
                        // A column that stood under the name until now goes back under its own.
                        const rename = Object.fromEntries(Object.entries(part.rename).filter(([, to]) => to !== name));
                        if (column !== undefined && column !== name) rename[column] = name;
                        p.change(i, { rename });
                      }}
                    />
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function FirstRecords({ preview }: { preview: Preview }) {
  return (
    <section className="panel">
      <h2>
        First records <small>{preview.columns.length} columns</small>
      </h2>
      <Table
        size="small"
        rowKey="number"
        pagination={false}
        scroll={{ x: 'max-content', y: 260 }}
        dataSource={preview.records}
        columns={preview.columns.map((c, i) => ({
          key: c.name,
          title: c.name,
          render: (_: unknown, r: (typeof preview.records)[number]) => (
            <Cell text={r.cells[i]} marker={r.markers?.includes(i)} />
          ),
        }))}
      />
    </section>
  );
}
