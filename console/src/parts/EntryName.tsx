import type { Entry } from '../api/client';
import { Key } from './Key';

/** What an entry is called: its key, or the line of a source that is no record. */
export function EntryName({ entry }: { entry: Entry }) {
  if (!entry.reject) return <Key parts={entry.key} />;
  const { line, text } = entry.reject;
  return (
    <span className="mono">
      {entry.side} line {line}: {text.length > 40 ? `${text.slice(0, 40)}…` : text}
    </span>
  );
}
