import { Button } from 'antd';
import { useSyncExternalStore } from 'react';
import { Link } from 'react-router';
import type { Entry } from '../api/client';
import { EntryName } from '../parts/EntryName';
import { Fault } from '../parts/Fault';

/** A change of an exception that could not be made, where the exception was left before that was known. */
type Unsent = { by?: string; run: number; entry: Entry; change: string; error: unknown };

let all: Unsent[] = [];
const heard = new Set<() => void>();

const set = (to: Unsent[]) => {
  all = to;
  for (const hear of heard) hear();
};

const same = (a: Unsent, b: Unsent) => a.by === b.by && a.run === b.run && a.entry.id === b.entry.id;

/** Tells who made a change that it could not be made, on whatever page is shown by then. */
export const tellUnsent = (unsent: Unsent) => set([...all.filter((u) => !same(u, unsent)), unsent]);

/** The changes of a person that could not be made, each with the way back to its exception. */
export function UnsentChanges({ by }: { by: string }) {
  const list = useSyncExternalStore(
    (hear) => {
      heard.add(hear);
      return () => heard.delete(hear);
    },
    () => all,
  );
  const own = list.filter((u) => u.by === by);
  return own.map((u) => {
    const seen = () => set(all.filter((other) => other !== u));
    return (
      <section key={`${u.run} ${u.entry.id}`} className="panel" aria-label="A change that was not made">
        <p style={{ margin: '0 0 6px' }}>
          <EntryName entry={u.entry} /> was not changed to <b>{u.change}</b>.
        </p>
        <Fault error={u.error} />
        <div className="acts" style={{ marginTop: 6 }}>
          <Link
            className="ant-btn-like"
            to={`/reports/${u.run}?tray=${u.entry.tray}&entry=${u.entry.id}`}
            onClick={seen}
          >
            Open it
          </Link>
          <Button onClick={seen}>Leave it as it is</Button>
        </div>
      </section>
    );
  });
}
