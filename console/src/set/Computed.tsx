import { useQuery } from '@tanstack/react-query';
import { Button, Input, Table } from 'antd';
import { useDeferredValue, useState } from 'react';
import { answer, api, type ComputedColumn, type Snapshot } from '../api/client';
import { useJob } from '../api/useJob';
import { Cell } from '../parts/Cell';
import { Fault } from '../parts/Fault';
import { count } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { useUnsaved } from '../parts/useUnsaved';

/** Columns that are computed from the others: each expression is checked, and its first cells shown, while it is typed. */
export function Computed({ name, snapshot }: { name: string; snapshot: Snapshot }) {
  const { job, failed, busy, run } = useJob();
  const kept = snapshot.recipe?.choices.computed ?? [];
  // What has been typed stays, also when another snapshot comes; without that, the columns are those of the snapshot.
  const [typed, setColumns] = useState<ComputedColumn[]>();
  const columns = typed ?? kept;
  const text = JSON.stringify(columns);
  const asked = useDeferredValue(text);
  const tried = useQuery({
    queryKey: ['tried', name, snapshot.number, asked],
    queryFn: async ({ signal }) =>
      (
        await answer(
          api.POST('/api/v1/sets/{name}/computed/tried', {
            params: { path: { name } },
            body: { computed: JSON.parse(asked) as ComputedColumn[] },
            signal,
          }),
        )
      ).data,
    retry: false,
  });
  const functions = useQuery({
    queryKey: ['functions'],
    queryFn: async () => (await answer(api.GET('/api/v1/functions'))).data.functions,
    staleTime: Infinity,
  });
  const seen = tried.data?.columns ?? [];
  const set = (at: number, part: Partial<ComputedColumn>) =>
    setColumns(columns.map((c, i) => (i === at ? { ...c, ...part } : c)));
  const changed = text !== JSON.stringify(kept);
  const wrong = asked !== text || tried.isFetching || seen.length !== columns.length || seen.some((c) => c.wrong);

  useUnsaved(changed, 'What has been typed of computed columns');

  async function compute() {
    const end = await run(
      async () =>
        (
          await answer(
            api.PUT('/api/v1/sets/{name}/computed', { params: { path: { name } }, body: { computed: columns } }),
          )
        ).data,
    );
    if (end) setColumns(undefined);
  }

  return (
    <>
      <p className="say">
        Columns that are computed from those of the source stand behind them, and can be key parts and compared fields.
        Reloading computes them again.
      </p>
      {columns.map((c, at) => {
        const t = seen[at];
        return (
          <div key={at} className="computed">
            <Input
              aria-label={`name of computed column ${at + 1}`}
              style={{ width: 160 }}
              value={c.name}
              placeholder="name"
              onChange={(event) => set(at, { name: event.target.value })}
            />
            <span className="mono">=</span>
            <div style={{ flex: 1, minWidth: 300 }}>
              <Input
                aria-label={`expression of computed column ${at + 1}`}
                className="mono"
                status={t?.wrong && c.expression ? 'error' : undefined}
                value={c.expression}
                placeholder="zero(debit) - zero(credit)"
                onChange={(event) => set(at, { expression: event.target.value })}
              />
              <div role="status" className="tried">
                {t?.wrong && (c.expression || c.name) && (
                  <span className="missed">
                    {!!t.at && `at character ${t.at}: `}
                    {t.wrong}
                  </span>
                )}
                {t && !t.wrong && (
                  <>
                    {t.cells.map((text, i) => (
                      <span key={i}>
                        {i > 0 && ' · '}
                        <Cell text={text} />
                      </span>
                    ))}
                    {t.failures && (
                      <span className="missed">
                        {' '}
                        {count(t.failures.records)} of the first {count(tried.data?.looked ?? 0)} records cannot be
                        computed: {t.failures.why}
                      </span>
                    )}
                  </>
                )}
              </div>
            </div>
            <Button
              type="text"
              aria-label={`Leave out computed column ${at + 1}`}
              onClick={() => setColumns(columns.filter((_, i) => i !== at))}
            >
              ✕
            </Button>
          </div>
        );
      })}
      <Fault error={tried.error} />
      <Fault error={failed} />
      {job && <JobBar job={job} />}
      <div className="acts">
        <Button onClick={() => setColumns([...columns, { name: '', expression: '' }])}>Add a column</Button>
        <Button type="primary" disabled={!changed || wrong || busy} onClick={() => void compute()}>
          Compute as next snapshot
        </Button>
      </div>
      <details style={{ marginTop: 14 }}>
        <summary>What an expression can say</summary>
        <p className="say">
          Columns by name, numbers, and texts in quotes; + − * on numbers, + to join texts; == != &lt; &lt;= &gt; &gt;=
          in; &amp;&amp; || !; test ? this : that. A text is no number before number(text) says so. The columns are{' '}
          <span className="mono">{tried.data?.given.join(', ')}</span>.
        </p>
        <Table
          size="small"
          rowKey="name"
          pagination={false}
          dataSource={functions.data}
          columns={[
            { title: 'function', render: (_, f) => <span className="mono">{f.form}</span> },
            { title: 'meaning', dataIndex: 'meaning' },
          ]}
        />
      </details>
    </>
  );
}
