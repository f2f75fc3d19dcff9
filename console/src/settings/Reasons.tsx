import { Button, Input } from 'antd';
import { useState } from 'react';
import { answer, api, ProblemError } from '../api/client';
import { useReasons } from '../api/work';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { useDoing } from '../parts/useDoing';
import { useUnsaved } from '../parts/useUnsaved';

/** The list of reasons that exceptions can be given, one a line. */
export function Reasons() {
  const list = useReasons();
  // What is changed is the list that was there when it was begun.
  const [typed, setTyped] = useState<{ text: string; seen: string[] }>();
  const { act, failed } = useDoing(['reasons']);
  const changed = failed instanceof ProblemError && failed.problem.type === '/problems/changed-meanwhile';
  const save = (seen = typed?.seen) =>
    act(async () => {
      if (!typed || !seen) return;
      const reasons = typed.text
        .split('\n')
        .map((line) => line.trim())
        .filter(Boolean);
      await answer(api.PUT('/api/v1/reasons', { body: { reasons, seen } }));
      setTyped((now) => (now === typed ? undefined : now));
    });
  useUnsaved(typed !== undefined, 'The list of reasons');
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
          value={typed?.text ?? list.data?.join('\n') ?? ''}
          readOnly={!list.data}
          onChange={(event) => setTyped({ text: event.target.value, seen: typed?.seen ?? list.data ?? [] })}
        />
        <Fault error={failed} />
        {changed && typed && (
          <p role="status">
            The list is now: {list.data?.join(', ')}.{' '}
            <Button size="small" onClick={() => void save(list.data)}>
              Replace it with mine
            </Button>
          </p>
        )}
        <div className="acts" style={{ marginTop: 6 }}>
          <Button size="small" htmlType="submit" disabled={!typed}>
            Save the reasons
          </Button>
        </div>
      </Form>
    </>
  );
}
