import { Button, Table } from 'antd';
import { Link, useNavigate } from 'react-router';
import type { Definition } from '../api/client';
import { useMay } from '../api/people';
import { useSieves } from '../api/queries';
import { Fault } from '../parts/Fault';
import { when } from '../parts/format';

const keyWords = (d: Definition) =>
  d.key.map((k) => (k.right && k.right !== k.left ? `${k.left} = ${k.right}` : k.left)).join(', ');

export function Sieves() {
  const sieves = useSieves();
  const go = useNavigate();
  const may = useMay('analyst');
  return (
    <>
      <div className="title">
        <div>
          <h1>Sieves</h1>
          <p className="say">
            A sieve says which two record sets are compared, what makes two records the same, and what must agree.
          </p>
        </div>
        {may && (
          <Button type="primary" onClick={() => void go('/sieves/new')}>
            New sieve
          </Button>
        )}
      </div>
      <Fault error={sieves.error} />
      {sieves.data?.length === 0 ? (
        <p className="panel empty">
          There are no sieves yet. <Link to="/sieves/new">Make the first one</Link>.
        </p>
      ) : (
        <Table
          size="small"
          rowKey={(s) => s.definition.name}
          pagination={false}
          loading={sieves.isPending && !sieves.error}
          dataSource={sieves.data}
          columns={[
            {
              title: 'sieve',
              render: (_, s) => (
                <Link to={`/sieves/of/${encodeURIComponent(s.definition.name)}`}>{s.definition.name}</Link>
              ),
            },
            { title: 'left', render: (_, s) => <span className="l">{s.definition.left}</span> },
            { title: 'right', render: (_, s) => <span className="r">{s.definition.right}</span> },
            { title: 'the same when', render: (_, s) => keyWords(s.definition) },
            { title: 'version', align: 'right', render: (_, s) => s.version },
            { title: 'saved', render: (_, s) => when(s.updated) },
            {
              title: '',
              render: (_, s) => (
                <Link to={`/sieves/of/${encodeURIComponent(s.definition.name)}/trend`}>trend and schedule</Link>
              ),
            },
          ]}
        />
      )}
    </>
  );
}
