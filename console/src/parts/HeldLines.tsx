import type { Held } from '../api/client';

/** The sender's control figures, and whether they hold. */
export function HeldLines({ held, of }: { held: Held[]; of?: string }) {
  if (held.length === 0) return null;
  return (
    <ul className="held" aria-label="control figures">
      {held.map((h) => (
        <li key={h.what + h.from} className={h.holds ? '' : 'missed'}>
          <span aria-hidden>{h.holds ? '✓' : '✗'}</span> {of && <>{of}: </>}
          {h.found ? (
            <>
              control figure {h.holds ? 'holds' : 'missed'}: {h.what} stated <b>{h.stated}</b> ({h.from}), found{' '}
              <b>{h.found}</b>
              {h.why && `; ${h.why}`}
            </>
          ) : (
            `control figures: ${h.why}`
          )}
        </li>
      ))}
    </ul>
  );
}
