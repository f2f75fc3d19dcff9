import type { Way } from '../api/client';
import { Glyph } from './Glyph';

/** The way of a record through a run: what each reading made of its key, its filter, who else has its key, and why it is there. */
export function WayLines({ way }: { way: Way }) {
  return (
    <div className="way" data-way={`${way.side}-${way.number}`}>
      <p className={way.side === 'left' ? 'l' : 'r'}>
        <Glyph tray={way.tray} /> <b>{way.place}</b>
      </p>
      <ul className="steps">
        {way.parts.map((p) => (
          <li key={p} className="mono">
            {p}
          </li>
        ))}
        <li>{way.filter}</li>
        <li>{way.alike}</li>
        <li>
          <b>{way.why}</b>
        </li>
        <li>rule: {way.rule}</li>
        {way.looks.map((l) => (
          <li key={l} className="missed">
            {l}
          </li>
        ))}
      </ul>
      {way.near.length > 0 && (
        <>
          <p style={{ margin: '4px 0 0' }}>Nearest on the other side</p>
          <ul className="steps">
            {way.near.map((n) => (
              <li key={n}>{n}</li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}
