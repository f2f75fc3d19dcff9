import { InboxOutlined } from '@ant-design/icons';
import { useQueryClient } from '@tanstack/react-query';
import { Button, Input, Table, Upload } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Job } from '../api/client';
import { follow, upload } from '../api/jobs';
import { useSets } from '../api/queries';
import { Fault } from '../parts/Fault';
import { bytes, count, when } from '../parts/format';
import { JobBar } from '../parts/JobBar';

/** A file that was dropped and is not loaded yet. */
type Dropped = { id: number; file: File; name: string; sending?: boolean; job?: Job; error?: unknown };

let lastId = 0;

/** The name that a file's records go by: its own without endings. */
const setName = (file: string) => file.replace(/(\.[A-Za-z0-9]{1,5})+$/, '');

export function Sets() {
  const sets = useSets();
  const queries = useQueryClient();
  const [dropped, setDropped] = useState<Dropped[]>([]);
  const change = (id: number, part: Partial<Dropped>) =>
    setDropped((all) => all.map((d) => (d.id === id ? { ...d, ...part } : d)));
  const forget = (id: number) => setDropped((all) => all.filter((d) => d.id !== id));

  async function load(d: Dropped) {
    change(d.id, { sending: true, error: undefined, job: undefined });
    try {
      const job = await upload(d.name, d.file);
      change(d.id, { sending: false, job });
      await follow(job, (now) => change(d.id, { job: now }));
      forget(d.id);
      await queries.invalidateQueries();
    } catch (error) {
      change(d.id, { sending: false, job: undefined, error });
    }
  }

  return (
    <>
      <h1>Record sets</h1>
      <p className="say">
        What one office wrote down, and what another office claims. Each load of a set is a snapshot; a snapshot never
        changes.
      </p>
      <Upload.Dragger
        multiple
        showUploadList={false}
        beforeUpload={(file) => {
          setDropped((all) => [...all, { id: ++lastId, file, name: setName(file.name) }]);
          return false;
        }}
        style={{ marginBottom: 12 }}
      >
        <p style={{ margin: 0 }}>
          <InboxOutlined /> Drop delimited text files here, or press to choose them
        </p>
        <p className="dim" style={{ margin: 0 }}>
          UTF-8, the first line names the columns; the delimiter is found
        </p>
      </Upload.Dragger>
      {dropped.map((d) => {
        const known = sets.data?.some((s) => s.name === d.name);
        return (
          <form
            key={d.id}
            className="panel"
            aria-label={`Load ${d.file.name}`}
            onSubmit={(event) => {
              event.preventDefault();
              void load(d);
            }}
          >
            <div style={{ display: 'flex', gap: 10, alignItems: 'center' }}>
              <span className="mono">{d.file.name}</span>
              <span className="dim">{bytes(d.file.size)} as record set</span>
              <Input
                aria-label="Name of the record set"
                value={d.name}
                onChange={(event) => change(d.id, { name: event.target.value })}
                disabled={!!d.job || d.sending}
                style={{ width: 220 }}
              />
              <Button type="primary" htmlType="submit" disabled={!d.name || !!d.job} loading={d.sending}>
                {known ? 'Load as next snapshot' : 'Load'}
              </Button>
              <Button type="text" onClick={() => forget(d.id)} disabled={!!d.job || d.sending}>
                Put aside
              </Button>
            </div>
            {d.job && <JobBar job={d.job} />}
            <Fault error={d.error} />
          </form>
        );
      })}
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
            { title: 'record set', render: (_, s) => <Link to={`/sets/${encodeURIComponent(s.name)}`}>{s.name}</Link> },
            { title: 'snapshot', align: 'right', render: (_, s) => s.snapshot.number },
            { title: 'records', align: 'right', render: (_, s) => count(s.snapshot.records) },
            { title: 'rejects', align: 'right', render: (_, s) => count(s.snapshot.rejects) },
            { title: 'columns', align: 'right', render: (_, s) => s.snapshot.columns.length },
            { title: 'source', render: (_, s) => <span className="mono">{s.snapshot.source}</span> },
            { title: 'size', align: 'right', render: (_, s) => bytes(s.snapshot.bytes) },
            { title: 'loaded', render: (_, s) => when(s.snapshot.created) },
            { title: 'content', render: (_, s) => <span className="mono dim">{s.snapshot.hash.slice(0, 12)}</span> },
          ]}
        />
      )}
      {(sets.data?.length ?? 0) >= 2 && (
        <p className="say" style={{ marginTop: 12 }}>
          Next: <Link to="/sieves/new">say what makes two of their records the same</Link>.
        </p>
      )}
    </>
  );
}
