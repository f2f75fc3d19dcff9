import { useQuery } from '@tanstack/react-query';
import { Button, Input, Modal, Segmented, Select } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import type { SourceRef } from '../api/client';
import { connections, tables } from '../api/connections';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { Choice } from '../parts/Choice';
import { useDraft } from '../parts/useDraft';

/** Takes the rows of a table or of a query. */
export function FromDatabase({ take }: { take: (source: SourceRef, name: string) => void }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>From a database</Button>
      <Modal
        title="Rows of a database"
        open={open}
        onCancel={() => setOpen(false)}
        footer={null}
        destroyOnHidden
        width={640}
      >
        <Rows
          take={(source, name) => {
            setOpen(false);
            take(source, name);
          }}
        />
      </Modal>
    </>
  );
}

function Rows({ take }: { take: (source: SourceRef, name: string) => void }) {
  const list = useQuery({ queryKey: ['connections'], queryFn: connections });
  const [chosen, setChosen] = useState<string>();
  const [by, setBy] = useState<'table' | 'query'>('table');
  const [table, setTable] = useState<string>();
  const [query, setQuery] = useDraft('query of a database');
  const connection = chosen ?? list.data?.[0]?.name;
  const seen = useQuery({
    queryKey: ['tables', connection],
    queryFn: () => tables(connection ?? ''),
    enabled: !!connection,
    retry: false,
  });
  if (list.data?.length === 0) {
    return (
      <p>
        There are no connections yet: <Link to="/settings">make one in the settings</Link>.
      </p>
    );
  }
  const ready = by === 'table' ? !!table : !!query.trim();
  return (
    <Form
      send={() => {
        if (by === 'table') take({ connection, table }, table?.replace(/^.*\./, '') ?? '');
        else take({ connection, query }, '');
      }}
    >
      <div className="choices">
        <Choice label="connection">
          <Select
            autoFocus
            aria-label="connection"
            style={{ minWidth: 180 }}
            value={connection}
            onChange={(name: string) => {
              setChosen(name);
              setTable(undefined);
            }}
            options={list.data?.map((c) => ({ value: c.name, label: c.name }))}
          />
        </Choice>
        <Choice label="what is read">
          <Segmented
            aria-label="what is read"
            value={by}
            onChange={setBy}
            options={[
              { value: 'table', label: 'a table or view' },
              { value: 'query', label: 'a query' },
            ]}
          />
        </Choice>
        {by === 'table' && (
          <Choice label="table or view">
            <Select
              showSearch
              aria-label="table or view"
              style={{ minWidth: 220 }}
              loading={seen.isFetching}
              value={table}
              onChange={setTable}
              options={seen.data?.map((t) => ({ value: t.name, label: t.view ? `${t.name} (view)` : t.name }))}
            />
          </Choice>
        )}
      </div>
      <Fault error={list.error} />
      <Fault error={seen.error} />
      {by === 'query' && (
        <Input.TextArea
          aria-label="query"
          className="mono"
          rows={8}
          value={query}
          onChange={(event) => setQuery(event.target.value)}
          placeholder="SELECT call_no, service_date, amount FROM service_log WHERE service_date >= '2026-03-01'"
        />
      )}
      <div className="acts" style={{ marginTop: 10 }}>
        <Button type="primary" htmlType="submit" disabled={!ready}>
          Look at the rows
        </Button>
      </div>
    </Form>
  );
}
