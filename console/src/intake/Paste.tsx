import { Button, Input, Modal } from 'antd';
import { useState } from 'react';

/** Takes cells that were copied from a spreadsheet. */
export function Paste({ take }: { take: (text: string) => void }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  return (
    <>
      <Button onClick={() => setOpen(true)}>Paste cells</Button>
      <Modal
        title="Paste cells copied from a spreadsheet"
        open={open}
        onCancel={() => setOpen(false)}
        okText="Look at them"
        okButtonProps={{ disabled: !text.trim() }}
        onOk={() => {
          setOpen(false);
          take(text);
          setText('');
        }}
        destroyOnHidden
      >
        <Input.TextArea
          aria-label="Cells"
          autoFocus
          rows={12}
          className="mono"
          value={text}
          onChange={(event) => setText(event.target.value)}
          placeholder="The first row names the columns, unless none does."
        />
      </Modal>
    </>
  );
}
