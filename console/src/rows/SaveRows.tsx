import { Button, Popover } from 'antd';
import type { Look } from '../api/client';
import { MakeSet } from '../parts/MakeSet';
import { tidy } from './look';

/** Makes a record set of the rows of a sieve, or of one of its runs. */
export function SaveRows(p: { sieve: string; run?: number; look: Look; disabled?: string }) {
  const result = { sieve: p.sieve, run: p.run, look: tidy({ look: p.look }).look };
  return (
    <Popover
      trigger="click"
      content={p.disabled ? <p className="say">{p.disabled}</p> : <MakeSet source={{ result }} autoFocus />}
    >
      <Button size="small">Make a record set</Button>
    </Popover>
  );
}
