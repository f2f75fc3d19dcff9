import { Button, Input } from 'antd';
import { useState } from 'react';
import { answer, api } from '../api/client';
import { useReasons } from '../api/work';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { useDoing } from '../parts/useDoing';

/** The list of reasons that exceptions can be given, one a line. */
export function Reasons() {
  const list = useReasons();
  const [text, setText] = useState<string>();
  const { act, failed } = useDoing(['reasons']);
  const save = () =>
    act(async () => {
      const reasons = (text ?? '')
        .split('\n')
        .map((line) => line.trim())
        .filter(Boolean);
      await answer(api.PUT('/api/v1/reasons', { body: { reasons } }));
      setText(undefined);
    });
  return (
    <>
      <h2>
        Reasons <small>that exceptions can be given, one a line; exceptions keep those that they have</small>
      </h2>
      <Form className="panel" label="Reasons" send={() => void save()}>
        <Input.TextArea
          aria-label="reasons"
          autoSize={{ minRows: 3, maxRows: 12 }}
          style={{ maxWidth: 420 }}
          value={text ?? list.data?.join('\n') ?? ''}
          onChange={(event) => setText(event.target.value)}
        />
        <Fault error={failed} />
        <div className="acts" style={{ marginTop: 6 }}>
          <Button size="small" htmlType="submit" disabled={text === undefined}>
            Save the reasons
          </Button>
        </div>
      </Form>
    </>
  );
}
