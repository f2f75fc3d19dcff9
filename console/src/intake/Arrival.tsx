import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Checkbox, Input, Spin } from 'antd';
import { useState } from 'react';
import { type Choices, ProblemError, type SourceRef } from '../api/client';
import { load, preview } from '../api/intake';
import { useJob } from '../api/useJob';
import { Fault } from '../parts/Fault';
import { Form } from '../parts/Form';
import { bytes } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { TextChoice } from '../parts/TextChoice';
import { ChoiceBar } from './ChoiceBar';
import { ControlFields, controlOf, nothingStated, wrongOf } from './ControlFields';
import { PreviewTable } from './PreviewTable';

/** The name that a file's records go by: its own without folders and endings. */
const setName = (file: string) => file.replace(/^.*\//, '').replace(/(\.[A-Za-z0-9]{1,7})+$/, '');

/** Whether something failed for bytes that are no text, so that to reject their records is a way. */
const badBytes = (error: unknown) =>
  error instanceof ProblemError && !!error.problem.faults?.some((f) => f.where === 'choices.invalidBytes');

/** A source that has arrived: how it would be read, each guess open to change, and then its load. */
export function Arrival(p: {
  source: SourceRef;
  file: string;
  name?: string;
  chose: (choices: Choices) => void;
  names: string[];
  done: () => void;
  putAside: () => void;
}) {
  const queries = useQueryClient();
  const [name, setName_] = useState(p.name ?? setName(p.file));
  const [chosen, choose] = useState<Choices>({});
  const [origin, setOrigin] = useState(p.source.origin ?? '');
  const source = p.source.stack ? { ...p.source, origin } : p.source;
  function setChosen(choices: Choices) {
    choose(choices);
    p.chose(choices);
  }
  const [stated, setStated] = useState(nothingStated);
  const [strict, setStrict] = useState(false);
  const { job, failed, busy, run } = useJob();
  const looked = useQuery({
    queryKey: ['preview', source, chosen],
    queryFn: ({ signal }) => preview(source, chosen, signal),
    placeholderData: (before) => before, // the fields to choose in stay where they are; nothing is loaded by it
    retry: false,
    staleTime: Infinity,
  });
  const seen = looked.data;
  const there = p.names.includes(name);
  const ready = !!name && !busy && !!seen && !looked.isFetching && !looked.error && !wrongOf(stated);

  async function take() {
    if (!ready) return;
    const recipe = {
      source,
      choices: chosen, // what was detected is detected again the next time
      readAs: seen.choices,
      control: controlOf(stated, seen.choices.format === 'fixed'),
      strict: strict || undefined,
      new: !there || undefined, // what the button says
    };
    if (!(await run(() => load(name, recipe)))) {
      await queries.invalidateQueries({ queryKey: ['sets'] }); // somebody may have loaded a set of this name
      return;
    }
    p.done();
    // What was sent is gone now, so that its preview cannot be asked for again.
    queries.removeQueries({ queryKey: ['preview', source] });
  }

  return (
    <Form className="panel" label={`Load ${p.file}`} send={() => void take()}>
      <div className="arrival">
        <span className="mono">{p.file}</span>
        <span className="dim">{!!seen?.bytes && bytes(seen.bytes)} as record set</span>
        <Input
          aria-label="Name of the record set"
          value={name}
          onChange={(event) => setName_(event.target.value)}
          disabled={busy}
          style={{ width: 220 }}
        />
        <Button type="primary" htmlType="submit" disabled={!ready}>
          {there ? 'Load as next snapshot' : 'Load'}
        </Button>
        <Checkbox checked={strict} onChange={(event) => setStrict(event.target.checked)} disabled={busy}>
          strict: any reject refuses the load
        </Checkbox>
        <Button type="text" onClick={p.putAside} disabled={busy}>
          Put aside
        </Button>
        {looked.isFetching && <Spin size="small" />}
      </div>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
      <Fault error={looked.error} />
      {(badBytes(failed) || badBytes(looked.error)) && (
        <Button
          size="small"
          onClick={() => setChosen({ ...chosen, invalidBytes: 'reject' })}
          style={{ margin: '0 6px 6px 0' }}
        >
          Reject records with invalid bytes
        </Button>
      )}
      {looked.error && (
        <Button size="small" onClick={() => setChosen({})} style={{ marginBottom: 6 }}>
          Let everything be found again
        </Button>
      )}
      {seen && !job && (
        <>
          {p.source.stack && (
            <div className="choices">
              <TextChoice
                label="column that says where a record came from"
                width={180}
                value={origin}
                change={setOrigin}
              />
              <ul className="notes" aria-label="sources">
                {seen.parts.map((part) => (
                  <li key={part.label}>
                    <span className="mono">{part.label}</span>: {part.read.replace('\t', 'tab')}
                    {part.missing.length > 0 && (
                      <>
                        ; without <span className="mono">{part.missing.join(', ')}</span>, which is blank there
                      </>
                    )}
                  </li>
                ))}
              </ul>
            </div>
          )}
          <ChoiceBar preview={seen} chosen={chosen} change={setChosen} />
          <PreviewTable
            preview={seen}
            state={(column, type) => setChosen({ ...chosen, types: { ...chosen.types, [column]: type } })}
            mark={(blank) => setChosen({ ...chosen, blanks: [...(seen.choices.blanks ?? []), blank] })}
          />
          <ControlFields
            columns={seen.columns.map((c) => c.name)}
            footers={seen.footers.map((f) => f.text)}
            trailer={!!seen.choices.format}
            fixed={seen.choices.format === 'fixed'}
            stated={stated}
            change={setStated}
          />
        </>
      )}
    </Form>
  );
}
