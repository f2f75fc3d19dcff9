import type { ReactNode } from 'react';
import { Fault } from './Fault';

/**
 * What has been read of the service. Where reading it again fails, that is said, and what is known stays, with everything that has been
 * typed or chosen in it.
 */
export function Loaded<T>({ of, children }: { of: { data?: T; error: unknown }; children: (data: T) => ReactNode }) {
  return (
    <>
      <Fault error={of.error} />
      {of.data !== undefined && children(of.data)}
    </>
  );
}
