/** A cell as it came: its text, or the word blank. An absent record is shown by its table, never here. */
export function Cell({ text }: { text: string | null | undefined }) {
  if (text === null || text === undefined || text === '') return <span className="blank">blank</span>;
  return <span className="mono">{text}</span>;
}
