import type { ReactNode } from 'react';
import type { Guess } from '../api/client';

/** Something to choose: what it is, whether it was found or made, and the field to change it with. */
export function Choice({ label, guess, children }: { label: string; guess?: Guess; children: ReactNode }) {
  return (
    <div className="choice" title={guess?.why}>
      <span className="dim">
        {label} {guess && !guess.sure && <b className="guess">guess</b>}
        {guess?.sure && <span className="sure">certain</span>}
      </span>
      {children}
    </div>
  );
}
