import { said } from '../api/client';

/** What went wrong, in words. */
export function Fault({ error }: { error: unknown }) {
  if (!error) return null;
  return (
    <div className="fault" role="alert">
      {said(error)}
    </div>
  );
}
