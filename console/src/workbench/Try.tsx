import { Button, Modal, Segmented } from 'antd';
import { useEffect, useState } from 'react';
import { answer, api, type Definition, type Effect } from '../api/client';
import { useAsk } from '../api/useAsk';
import { Fault } from '../parts/Fault';
import { change, count } from '../parts/format';
import { JobBar } from '../parts/JobBar';
import { complete } from './definition';

type Place = { of: 'key' | 'compare'; part: number };

/** What the readings of a key part or field do to its real values, and to what pairs: all together, or one of them. */
export function Try({ draft, place, readings }: { draft: Definition; place: Place; readings: string[] }) {
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(-1);
  const body = { definition: { ...draft, name: draft.name || 'draft' }, ...place, reading: at };
  const question = JSON.stringify(body);
  const { ask, job, result, failed } = useAsk(question, (j) => j.result?.effect);
  const what = place.of === 'key' ? 'key pair' : 'compared field';
  useEffect(() => {
    if (open) void ask(async () => (await answer(api.POST('/api/v1/readings/tried', { body }))).data);
    // The question is all that is asked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [open, question]);
  return (
    <>
      <Button
        type="text"
        size="small"
        disabled={readings.length === 0 || !complete(draft)}
        aria-label={`What the readings of the ${what} do`}
        title="What the readings do to the values"
        onClick={() => {
          setAt(readings.length - 1);
          setOpen(true);
        }}
      >
        ⇥?
      </Button>
      <Modal
        title="What the readings do"
        open={open}
        onCancel={() => setOpen(false)}
        footer={null}
        width={980}
        destroyOnHidden
      >
        <Segmented
          aria-label="reading"
          value={at}
          onChange={setAt}
          options={[
            { value: -1, label: 'all together' },
            ...readings.map((r, i) => ({ value: i, label: <span className="mono">{r}</span> })),
          ]}
        />
        {job && <JobBar job={job} />}
        <Fault error={failed} />
        {result && <Shown effect={result} />}
      </Modal>
    </>
  );
}

function Shown({ effect }: { effect: Effect }) {
  const [without, having] = effect.pairs;
  return (
    <div data-testid="effect" style={{ marginTop: 10 }}>
      {without && having && (
        <p>
          It brings <b>{change(String(having.rows - without.rows))}</b> pairs ({count(without.rows)} without it,{' '}
          {count(having.rows)} with it) and <b>{change(String(having.matched - without.matched))}</b> matched ones; keys
          on both sides: {count(without.keys)} → {count(having.keys)}.
        </p>
      )}
      <div className="two">
        {effect.sides.map((s, i) => (
          <div key={i}>
            <h2 className={i === 0 ? 'l' : 'r'}>
              {s.column} <small>{count(s.values)} values</small>
            </h2>
            <p className="dim" style={{ marginTop: 0 }}>
              {count(s.changed)} changed · {count(s.emptied)} emptied · {count(s.unreadable)} cannot be read ·{' '}
              {count(s.distinct[0] ?? 0)} → {count(s.distinct[1] ?? 0)} different
            </p>
            <table className="plain">
              <thead>
                <tr>
                  <th>before</th>
                  <th>after</th>
                </tr>
              </thead>
              <tbody>
                {s.samples.slice(0, 10).map((v) => (
                  <tr key={v.cell}>
                    <td className="mono pre">{read(v.before)}</td>
                    <td className="mono pre">{read(v.after)}</td>
                  </tr>
                ))}
                {s.samples.length === 0 && (
                  <tr>
                    <td colSpan={2} className="dim">
                      It leaves every value as it is.
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
            <p style={{ margin: '8px 0 2px' }}>
              {s.collided === 0
                ? 'No values that were different become one.'
                : `${count(s.collided)} values stand for several that were different:`}
            </p>
            {s.collisions.slice(0, 6).map((c) => (
              <div key={c.after} className="mono pre">
                {c.before.join(' | ')}
                {c.texts > c.before.length && ` | ${count(c.texts - c.before.length)} more`} → {c.after}
              </div>
            ))}
          </div>
        ))}
      </div>
    </div>
  );
}

const states = { blank: '(blank)', emptied: '(nothing left)', unreadable: '(cannot be read)', text: '' };
const read = (v: { state: keyof typeof states; text: string }) => (v.state === 'text' ? v.text : states[v.state]);
