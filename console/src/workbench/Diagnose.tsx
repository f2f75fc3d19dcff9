import { Button } from 'antd';
import { answer, api, type Cause, type Definition } from '../api/client';
import { useAsk } from '../api/useAsk';
import { Diagnosed } from '../parts/Diagnosed';
import { Fault } from '../parts/Fault';
import { JobBar } from '../parts/JobBar';

/** Why records find no partner with the definition as it is; a remedy changes the definition. */
export function Diagnose({ draft, apply }: { draft: Definition; apply: (cause: Cause) => void }) {
  const { ask, job, result, failed, forget } = useAsk(draft, (j) => j.result?.diagnosis);
  return (
    <section className="panel" aria-label="Diagnosis">
      <div className="title" style={{ alignItems: 'center' }}>
        <h2 style={{ margin: 0 }}>
          Diagnosis <small>why the records without a partner find none</small>
        </h2>
        <div className="acts">
          {result && (
            <Button size="small" type="text" onClick={forget}>
              Close the diagnosis
            </Button>
          )}
          <Button
            size="small"
            onClick={() =>
              void ask(async () => (await answer(api.POST('/api/v1/diagnoses', { body: { definition: draft } }))).data)
            }
          >
            Why do they not pair?
          </Button>
        </div>
      </div>
      {job && <JobBar job={job} />}
      <Fault error={failed} />
      {result && (
        <Diagnosed
          diagnosis={result}
          remedy={(cause) => {
            forget();
            apply(cause);
          }}
        />
      )}
    </section>
  );
}
