import type { ReactNode } from 'react';

const left = (y = 0, props = {}) => <path d={`M7.5 ${2 + y}a5.5 5.5 0 0 0 0 11z`} fill="var(--left)" {...props} />;
const right = (y = 0, props = {}) => <path d={`M8.5 ${2 + y}a5.5 5.5 0 0 1 0 11z`} fill="var(--right)" {...props} />;
const ghost = (d: string) => <path d={d} fill="none" stroke="var(--grey)" strokeDasharray="2 1.6" />;

/** Two half discs: whole when a pair agrees, slipped when it differs, a half and a ghost when a partner is missing. */
const glyphs: Record<string, ReactNode> = {
  matched: (
    <>
      {left()}
      {right()}
    </>
  ),
  differing: (
    <>
      {left(-1.5)}
      {right(2)}
    </>
  ),
  missing: (
    <>
      {left()}
      {ghost('M8.5 2.5a5 5 0 0 1 0 10')}
    </>
  ),
  orphaned: (
    <>
      {ghost('M7.5 2.5a5 5 0 0 0 0 10')}
      {right()}
    </>
  ),
  surplus: (
    <>
      {left(-1, { opacity: 0.45, transform: 'translate(3 0)' })}
      {left(1)}
    </>
  ),
  unkeyed: (
    <>
      <circle cx="8" cy="7.5" r="5" fill="none" stroke="var(--grey)" strokeWidth="1.6" />
      <circle cx="8" cy="7.5" r="1.3" fill="var(--grey)" />
    </>
  ),
  reject: (
    <>
      <path d="M2.5 7.5h11" stroke="var(--grey)" strokeDasharray="2 1.6" />
      <path d="M4.5 4l7 7m0-7l-7 7" stroke="var(--differing)" strokeWidth="1.6" />
    </>
  ),
  excluded: <circle cx="8" cy="7.5" r="5" fill="none" stroke="var(--grey)" strokeDasharray="1.5 2" />,
};

export function Glyph({ tray }: { tray: string }) {
  return (
    <svg className="g" viewBox="0 0 16 15" aria-hidden="true">
      {glyphs[tray]}
    </svg>
  );
}

/** The shapes of a tray's glyph, 16 wide and 15 high, for a picture that is being drawn. */
export const glyphOf = (tray: string): ReactNode => glyphs[tray];

export function Mark() {
  return (
    <svg viewBox="0 0 28 28" width="28" height="28" aria-hidden="true">
      <path d="M13 3a11 11 0 0 0 0 22z" fill="var(--left)" />
      <path d="M15 3a11 11 0 0 1 0 22z" fill="var(--right)" />
      {[9, 19].map((x) =>
        [10, 14, 18].map((y) => <circle key={`${x} ${y}`} cx={x} cy={y} r="1.4" fill="var(--paper)" />),
      )}
    </svg>
  );
}
