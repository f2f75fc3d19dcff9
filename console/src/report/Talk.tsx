import { useQuery } from '@tanstack/react-query';
import { Button, Mentions, Upload } from 'antd';
import { answer, api, type Run } from '../api/client';
import { useMay, usePeople } from '../api/people';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { bytes, when } from '../parts/format';
import { useDoing } from '../parts/useDoing';
import { useDraft } from '../parts/useDraft';

/** What was said about an exception, by whom and when, and the files that were put to it. All of it is shown as the text that it is. */
export function Talk({ run, entry, signed }: { run: Run; entry: string; signed: boolean }) {
  const may = useMay('analyst');
  const people = usePeople();
  const path = { run: run.id, entry };
  const talk = useQuery({
    queryKey: ['talk', run.id, entry],
    queryFn: async () =>
      (await answer(api.GET('/api/v1/runs/{run}/entries/{entry}/conversation', { params: { path } }))).data,
  });
  const [text, setText, sent] = useDraft(`comment on ${entry} of report ${run.id}`);
  const { act, failed } = useDoing(['talk', run.id], ['entries', run.id], ['entry', run.id]);
  const send = () =>
    act(async () => {
      await answer(api.POST('/api/v1/runs/{run}/entries/{entry}/comments', { params: { path }, body: { text } }));
      sent(text);
    });
  const attach = (file: File) =>
    act(() =>
      answer(
        api.POST('/api/v1/runs/{run}/entries/{entry}/files', {
          params: { path, query: { name: file.name } },
          body: file as unknown as string,
          bodySerializer: (body) => body,
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      ),
    );
  const lines = [
    ...(talk.data?.comments ?? []).map((c) => ({ ...c, key: `c${c.id}`, file: undefined })),
    ...(talk.data?.attachments ?? []).map((a) => ({ ...a, key: `a${a.id}`, text: a.name, file: a })),
  ].sort((a, b) => a.created.localeCompare(b.created));
  return (
    <section aria-label="Conversation">
      <h2 style={{ marginTop: 16 }}>Conversation</h2>
      <Fault error={talk.error} />
      {lines.map((l) => (
        <article key={l.key} className="talk">
          <header>
            <b>{l.by}</b> <span className="dim">{when(l.created)}</span>
          </header>
          {l.file ? (
            <a href={`/api/v1/runs/${run.id}/entries/${entry}/files/${l.file.id}`} download={l.file.name}>
              {l.file.name} <span className="dim">{bytes(l.file.bytes)}</span>
            </a>
          ) : (
            <p>{l.text}</p>
          )}
        </article>
      ))}
      {talk.data && lines.length === 0 && <p className="dim">Nothing has been said about it yet.</p>}
      {may && !signed && (
        <Form label="Comment" send={() => void send()}>
          <Mentions
            aria-label="comment"
            placeholder="say something; @ and a name mentions somebody"
            autoSize={{ minRows: 2, maxRows: 8 }}
            value={text}
            onChange={setText}
            onKeyDown={(event) => {
              if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && text) void send();
            }}
            options={(people.data ?? []).map((p) => ({ value: p.name, label: `${p.name}, ${p.fullName}` }))}
          />
          <Fault error={failed} />
          <div className="acts" style={{ marginTop: 6 }}>
            <Button size="small" type="primary" htmlType="submit" disabled={!text.trim()}>
              Say it
            </Button>
            <Upload showUploadList={false} beforeUpload={(file) => (void attach(file), false)}>
              <Button size="small">Put a file to it</Button>
            </Upload>
          </div>
        </Form>
      )}
    </section>
  );
}
