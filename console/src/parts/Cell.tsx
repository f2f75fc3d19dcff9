import { visible } from './format';

/** A cell as it came: its text, or the word blank. A blank marker keeps its text. An absent record is shown by its table, never here. */
export function Cell({ text, marker }: { text: string | null | undefined; marker?: boolean }) {
  if (text === null || text === undefined || text === '') return <span className="blank">blank</span>;
  if (text.trim() === '') return <span className="mono">{visible(text)}</span>;
  if (marker) return <span className="blank">blank ({text})</span>;
  return <span className="mono">{text}</span>;
}
