/** A key's texts as they came, its parts apart; a part without text is the word blank. */
export function Key({ parts }: { parts: string[] }) {
  return (
    <span className="mono">
      {parts.map((part, i) => (
        <span key={i}>
          {i > 0 && ' · '}
          {part.trim() === '' ? <span className="blank">blank</span> : part}
        </span>
      ))}
    </span>
  );
}
