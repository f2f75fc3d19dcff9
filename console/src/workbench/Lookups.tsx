import { Button, Input, Modal } from 'antd';
import { useState } from 'react';
import type { Lookup } from '../api/client';
import { Choice } from '../parts/Choice';
import { codesOf, lineOf } from './codes';

/** The lookup lists of a sieve, as lines of two codes; lines can be pasted from a spreadsheet. */
export function Lookups({ lists, change }: { lists: Lookup[]; change: (lists: Lookup[]) => void }) {
  const [open, setOpen] = useState(false);
  const [name, setName] = useState('');
  const [lines, setLines] = useState('');
  const [begun, setBegun] = useState(''); // what the lines were when the dialog was opened: once they are others, only its buttons close it
  const pairs = lines
    .split('\n')
    .filter((line) => line.trim())
    .map(codesOf);
  const short = pairs.findIndex((p) => p.length < 2);
  const codes = pairs.map((p) => p[0]);
  const twice = codes.find((c, i) => codes.indexOf(c) < i);
  const wrong =
    short >= 0
      ? `Line ${short + 1} has no second code; write code, comma, code.`
      : twice !== undefined
        ? `The code ${twice} stands twice; leave one of them.`
        : '';
  return (
    <Choice label="lookup lists">
      <span>
        {lists.map((l) => (
          <Button
            key={l.name}
            size="small"
            onClick={() => {
              setName(l.name);
              setLines(l.pairs.map(lineOf).join('\n'));
              setBegun(l.pairs.map(lineOf).join('\n'));
              setOpen(true);
            }}
          >
            {l.name} ({l.pairs.length})
          </Button>
        ))}
        <Button
          size="small"
          type="text"
          onClick={() => {
            setName('');
            setLines('');
            setBegun('');
            setOpen(true);
          }}
        >
          + lookup list
        </Button>
      </span>
      <Modal
        title="Lookup list"
        open={open}
        onCancel={() => setOpen(false)}
        mask={{ closable: lines === begun }}
        keyboard={lines === begun}
        okText="Keep the list"
        okButtonProps={{ disabled: !name.trim() || pairs.length === 0 || wrong !== '' }}
        onOk={() => {
          change([...lists.filter((l) => l.name !== name.trim()), { name: name.trim(), pairs }]);
          setOpen(false);
        }}
        footer={(buttons) => (
          <>
            {lists.some((l) => l.name === name) && (
              <Button
                danger
                onClick={() => {
                  change(lists.filter((l) => l.name !== name));
                  setOpen(false);
                }}
              >
                Remove the list
              </Button>
            )}
            {buttons}
          </>
        )}
      >
        <p className="dim">
          A code, and the code that stands for it; one pair a line, a code with a comma in double quotes. Use it with
          the reading “lookup”.
        </p>
        <Input
          aria-label="name of the lookup list"
          placeholder="name"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Input.TextArea
          aria-label="pairs of the lookup list"
          className="mono"
          rows={10}
          style={{ marginTop: 8 }}
          placeholder={'PILOT, PIL\nTOW, TUG'}
          value={lines}
          onChange={(e) => setLines(e.target.value)}
        />
        {wrong && (
          <div className="fault" role="alert">
            {wrong}
          </div>
        )}
      </Modal>
    </Choice>
  );
}
