import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Checkbox, Input, Spin } from 'antd';
import { useState } from 'react';
import type { Choices, Job, SourceRef } from '../api/client';
import { load, preview } from '../api/intake';
import { follow } from '../api/jobs';
import { Fault } from '../parts/Fault';
import { bytes } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { ChoiceBar } from './ChoiceBar';
import { ControlFields, controlOf, nothingStated } from './ControlFields';
import { PreviewTable } from './PreviewTable';

/** The name that a file's records go by: its own without folders and endings. */
const setName = (file: string) => file.replace(/^.*\//, '').replace(/(\.[A-Za-z0-9]{1,7})+$/, '');

/** A source that has arrived: how it would be read, each guess open to change, and then its load. */
export function Arrival(p: {
  source: SourceRef;
  file: string;
  names: string[];
  done: () => void;
  putAside: () => void;
}) {
  const queries = useQueryClient();
  const [name, setName_] = useState(setName(p.file));
  const [chosen, setChosen] = useState<Choices>({});
  const [stated, setStated] = useState(nothingStated);
  const [strict, setStrict] = useState(false);
  const [job, setJob] = useState<Job>();
  const [failed, setFailed] = useState<unknown>();
  const looked = useQuery({
    queryKey: ['preview', p.source, chosen],
    queryFn: ({ signal }) => preview(p.source, chosen, signal),
    placeholderData: (before) => before,
    retry: false,
    staleTime: Infinity,
  });
  const seen = looked.data;

  async function take() {
    setFailed(undefined);
    try {
      const choices = { ...seen?.choices, ...chosen };
      const begun = await load(name, {
        source: p.source,
        choices,
        control: controlOf(stated),
        strict: strict || undefined,
      });
      setJob(begun);
      await follow(begun, setJob);
      p.done();
      // What was sent is gone now, so that its preview cannot be asked for again.
      queries.removeQueries({ queryKey: ['preview', p.source] });
      await queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== 'preview' });
    } catch (error) {
      setJob(undefined);
      setFailed(error);
    }
  }

  return (
    <form
      className="panel"
      aria-label={`Load ${p.file}`}
      onSubmit={(event) => {
        event.preventDefault();
        void take();
      }}
    >
      <div className="arrival">
        <span className="mono">{p.file}</span>
        <span className="dim">{seen && bytes(seen.bytes)} as record set</span>
        <Input
          aria-label="Name of the record set"
          value={name}
          onChange={(event) => setName_(event.target.value)}
          disabled={!!job}
          style={{ width: 220 }}
        />
        <Button
          type="primary"
          htmlType="submit"
          disabled={!name || !!job || !seen || looked.isFetching || !!looked.error}
        >
          {p.names.includes(name) ? 'Load as next snapshot' : 'Load'}
        </Button>
        <Checkbox checked={strict} onChange={(event) => setStrict(event.target.checked)} disabled={!!job}>
          strict: any reject refuses the load
        </Checkbox>
        <Button type="text" onClick={p.putAside} disabled={!!job}>
          Put aside
        </Button>
        {looked.isFetching && <Spin size="small" />}
      </div>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
      <Fault error={looked.error} />
      {looked.error && (
        <Button size="small" onClick={() => setChosen({})} style={{ marginBottom: 6 }}>
          Let everything be found again
        </Button>
      )}
      {seen && !job && (
        <>
          <ChoiceBar preview={seen} chosen={chosen} change={setChosen} />
          <PreviewTable
            preview={seen}
            state={(column, type) => setChosen({ ...chosen, types: { ...chosen.types, [column]: type } })}
            mark={(blank) => setChosen({ ...chosen, blanks: [...(seen.choices.blanks ?? []), blank] })}
          />
          <ControlFields columns={seen.columns.map((c) => c.name)} stated={stated} change={setStated} />
        </>
      )}
    </form>
  );
}
