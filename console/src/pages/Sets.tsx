import { InboxOutlined } from '@ant-design/icons';
import { useQuery } from '@tanstack/react-query';
import { Button, Progress, Select, Table, Upload } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { answer, api, type Choices, type SourceRef } from '../api/client';
import { forget, send } from '../api/intake';
import { useMay } from '../api/people';
import { useSets } from '../api/queries';
import { Arrival } from '../intake/Arrival';
import { FromDatabase } from '../intake/FromDatabase';
import { Paste } from '../intake/Paste';
import { Fault } from '../parts/Fault';
import { bytes, count, when } from '../parts/format';
import { useUnsaved } from '../parts/useUnsaved';

/** Something that is to be loaded: a file on its way to the service, or a source that has arrived there. */
type Arriving = {
  id: number;
  file: string;
  size?: number;
  sent?: number;
  source?: SourceRef;
  name?: string;
  chosen?: Choices;
  stop?: AbortController;
  error?: unknown;
};

let lastId = 0;

export function Sets() {
  const sets = useSets();
  const may = useMay('analyst');
  const folder = useQuery({
    queryKey: ['folder'],
    enabled: may,
    queryFn: async () => (await answer(api.GET('/api/v1/folder'))).data,
  });
  const [arriving, setArriving] = useState<Arriving[]>([]);
  const change = (id: number, part: Partial<Arriving>) =>
    setArriving((all) => all.map((a) => (a.id === id ? { ...a, ...part } : a)));
  const drop = (id: number) => setArriving((all) => all.filter((a) => a.id !== id));

  async function take(file: string, content: Blob) {
    const id = ++lastId;
    const stop = new AbortController();
    setArriving((all) => [...all, { id, file, size: content.size, stop }]);
    try {
      const upload = await send(file, content, { signal: stop.signal, sent: (sent) => change(id, { sent }) });
      change(id, { source: { upload: upload.id }, stop: undefined });
    } catch (error) {
      change(id, { error, stop: undefined });
    }
  }

  function putAside(a: Arriving) {
    a.stop?.abort();
    drop(a.id);
    for (const place of [a.source, ...(a.source?.stack ?? [])]) {
      if (place?.upload) void forget(place.upload).catch(() => undefined); // the service forgets it by itself, later
    }
  }

  // What can be stacked: everything that has arrived and is no stack itself.
  const loose = arriving.filter((a) => a.source && !a.source.stack);
  function stack() {
    const parts = loose.map((a) => ({
      ...a.source,
      label: a.file,
      choices: a.chosen && Object.keys(a.chosen).length > 0 ? a.chosen : undefined,
    }));
    setArriving((all) => [
      ...all.filter((a) => !loose.includes(a)),
      { id: ++lastId, file: `${parts.length} sources`, source: { stack: parts, origin: 'origin' }, name: '' },
    ]);
  }

  useUnsaved(arriving.length > 0, 'What was dropped or chosen here');

  return (
    <>
      <h1>Record sets</h1>
      <p className="say">
        What one office wrote down, and what another office claims. Each load of a set is a snapshot; a snapshot never
        changes.
      </p>
      {may && (
        <>
          <Upload.Dragger
            multiple
            showUploadList={false}
            beforeUpload={(file) => {
              void take(file.name, file);
              return false;
            }}
            style={{ marginBottom: 8 }}
          >
            <p style={{ margin: 0 }}>
              <InboxOutlined /> Drop files here, or press to choose them
            </p>
            <p className="dim" style={{ margin: 0 }}>
              text, spreadsheets, JSON, NDJSON, Parquet, Arrow; packed or not. You see how they are read before they are
              loaded
            </p>
          </Upload.Dragger>
          <div className="acts" style={{ marginBottom: 12 }}>
            <Paste take={(text) => void take('pasted cells.tsv', new Blob([text]))} />
            <FromDatabase
              take={(source, name) =>
                setArriving((all) => [
                  ...all,
                  { id: ++lastId, file: `${source.table ?? 'a query'} of ${source.connection}`, source, name },
                ])
              }
            />
            {folder.data?.allowed && (
              <Select
                showSearch
                aria-label="From the service's folder"
                placeholder="from the service's folder"
                style={{ minWidth: 260 }}
                value={null}
                onChange={(path: string | null) =>
                  path && setArriving((all) => [...all, { id: ++lastId, file: path, source: { path } }])
                }
                options={folder.data.files.map((f) => ({ value: f.path, label: `${f.path}, ${bytes(f.bytes)}` }))}
              />
            )}
          </div>
        </>
      )}
      {loose.length > 1 && (
        <p className="say">
          They are loaded one by one, or{' '}
          <Button size="small" onClick={stack}>
            Stack the {loose.length} as one record set
          </Button>
        </p>
      )}
      {arriving.map((a) =>
        a.source ? (
          <Arrival
            key={a.id}
            source={a.source}
            file={a.file}
            name={a.name}
            chose={(chosen) => change(a.id, { chosen })}
            names={(sets.data ?? []).map((s) => s.name)}
            done={() => drop(a.id)}
            putAside={() => putAside(a)}
          />
        ) : (
          <div key={a.id} className="panel arrival" role="status">
            <span className="mono">{a.file}</span>
            {!a.error && (
              <>
                <Progress
                  percent={Math.round(((a.sent ?? 0) / (a.size || 1)) * 100)}
                  size="small"
                  style={{ width: 200 }}
                  aria-label={`sending ${a.file}`}
                />
                <span className="dim">
                  {bytes(a.sent ?? 0)} of {bytes(a.size ?? 0)} sent
                </span>
              </>
            )}
            <Fault error={a.error} />
            <Button size="small" onClick={() => putAside(a)}>
              {a.error ? 'Put aside' : 'Cancel'}
            </Button>
          </div>
        ),
      )}
      <Fault error={sets.error} />
      {sets.data?.length === 0 ? (
        <p className="panel empty">There are no record sets yet. Drop the two files that ought to agree.</p>
      ) : (
        <Table
          size="small"
          rowKey="name"
          pagination={false}
          loading={sets.isPending && !sets.error}
          dataSource={sets.data}
          columns={[
            {
              title: 'record set',
              render: (_, s) => (
                <>
                  <Link to={`/sets/${encodeURIComponent(s.name)}`}>{s.name}</Link>
                  {s.snapshot.findings.held.some((h) => !h.holds) && <span className="missed"> ✗ control figures</span>}
                </>
              ),
            },
            { title: 'snapshot', align: 'right', render: (_, s) => s.snapshot.number },
            { title: 'records', align: 'right', render: (_, s) => count(s.snapshot.records) },
            { title: 'rejects', align: 'right', render: (_, s) => count(s.snapshot.rejects) },
            { title: 'columns', align: 'right', render: (_, s) => s.snapshot.columns.length },
            { title: 'source', render: (_, s) => <span className="mono">{s.snapshot.source}</span> },
            { title: 'size', align: 'right', render: (_, s) => (s.snapshot.bytes > 0 ? bytes(s.snapshot.bytes) : '–') },
            { title: 'loaded', render: (_, s) => when(s.snapshot.created) },
            { title: 'content', render: (_, s) => <span className="mono dim">{s.snapshot.hash.slice(0, 12)}</span> },
          ]}
        />
      )}
      {(sets.data?.length ?? 0) >= 2 && (
        <p className="say" style={{ marginTop: 12 }}>
          Next: <Link to="/sieves/new">say what makes two of their records the same</Link>, or{' '}
          <Link to="/stack">stack several of them as one</Link>.
        </p>
      )}
    </>
  );
}
