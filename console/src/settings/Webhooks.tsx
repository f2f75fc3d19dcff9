import { useQuery } from '@tanstack/react-query';
import { Button, Popconfirm, Table } from 'antd';
import { useState } from 'react';
import { answer, api, type Delivery, type Webhook } from '../api/client';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { when } from '../parts/format';
import { TextChoice } from '../parts/TextChoice';
import { useDoing } from '../parts/useDoing';
import { useUnsaved } from '../parts/useUnsaved';

/** The addresses that are told when a run ends or exceptions get an owner, for admins, and how what was sent to them went. */
export function Webhooks() {
  const list = useQuery({
    queryKey: ['webhooks'],
    queryFn: async () => (await answer(api.GET('/api/v1/webhooks'))).data.webhooks,
  });
  const [address, setAddress] = useState('');
  const [made, setMade] = useState<Webhook>();
  const [open, setOpen] = useState<number[]>([]);
  const { act, failed, busy } = useDoing(['webhooks'], ['deliveries']);
  useUnsaved(address !== '', 'The new webhook');
  const add = () =>
    act(async () => {
      setMade((await answer(api.POST('/api/v1/webhooks', { body: { address } }))).data);
      setAddress((now) => (now === address ? '' : now));
    });
  const drop = (webhook: number) =>
    act(() => answer(api.DELETE('/api/v1/webhooks/{webhook}', { params: { path: { webhook } } })));
  const attempt = (webhook: number) =>
    act(async () => {
      await answer(api.POST('/api/v1/webhooks/{webhook}/tried', { params: { path: { webhook } } }));
      setOpen([webhook]);
    });
  return (
    <>
      <h2>
        Webhooks <small>addresses that are told when a run ends or exceptions get an owner</small>
      </h2>
      <Form className="panel" label="New webhook" send={() => void add()}>
        <div className="choices">
          <TextChoice
            label="address"
            name="address of the webhook"
            placeholder="https://ledger.example/hooks"
            width={320}
            value={address}
            change={setAddress}
          />
          <Button size="small" htmlType="submit" disabled={!address || busy}>
            Add this webhook
          </Button>
        </div>
        {made && (
          <p role="status">
            Its events are signed, as RFC 9421 says, with this secret, which is not shown again:{' '}
            <code className="mono secret">{made.secret}</code>
          </p>
        )}
        <Fault error={failed} />
      </Form>
      <Fault error={list.error} />
      {!!list.data?.length && (
        <Table
          size="small"
          rowKey="id"
          pagination={false}
          style={{ marginBottom: 20 }}
          dataSource={list.data}
          expandable={{
            expandedRowKeys: open,
            onExpandedRowsChange: (keys) => setOpen(keys as number[]),
            expandedRowRender: (h) => <Deliveries webhook={h.id} />,
          }}
          columns={[
            { title: 'address', render: (_, h: Webhook) => <span className="mono">{h.address}</span> },
            { title: 'events', render: (_, h: Webhook) => h.events.join(', ') },
            { title: 'by', dataIndex: 'by' },
            {
              title: '',
              align: 'right',
              render: (_, h: Webhook) => (
                <span className="acts" style={{ justifyContent: 'end' }}>
                  <Button
                    size="small"
                    disabled={busy}
                    aria-label={`Try ${h.address}`}
                    onClick={() => void attempt(h.id)}
                  >
                    Try
                  </Button>
                  <Popconfirm title={`Remove ${h.address}?`} okText="Remove" onConfirm={() => drop(h.id)}>
                    <Button size="small" danger disabled={busy} aria-label={`Remove ${h.address}`}>
                      Remove
                    </Button>
                  </Popconfirm>
                </span>
              ),
            },
          ]}
        />
      )}
    </>
  );
}

function Deliveries({ webhook }: { webhook: number }) {
  const list = useQuery({
    queryKey: ['deliveries', webhook],
    refetchInterval: 3000, // they are on their way while somebody looks
    queryFn: async () =>
      (await answer(api.GET('/api/v1/webhooks/{webhook}/deliveries', { params: { path: { webhook } } }))).data
        .deliveries,
  });
  if (list.error && !list.data) return <Fault error={list.error} />;
  return (
    <Table
      size="small"
      rowKey="id"
      pagination={{ pageSize: 10, hideOnSinglePage: true }}
      dataSource={list.data}
      locale={{ emptyText: list.data ? 'Nothing has been sent yet.' : ' ' }}
      columns={[
        { title: 'event', dataIndex: 'event' },
        { title: 'since', render: (_, d: Delivery) => when(d.created) },
        { title: 'state', render: (_, d: Delivery) => <span className="chip">{d.state}</span> },
        { title: 'tries', align: 'right', dataIndex: 'attempts' },
        { title: 'tried again', render: (_, d: Delivery) => d.next && when(d.next) },
        { title: 'last time', render: (_, d: Delivery) => <span className="dim">{d.error ?? d.status}</span> },
      ]}
    />
  );
}
