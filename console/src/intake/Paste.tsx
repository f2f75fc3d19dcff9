import { Button, Input, Modal } from 'antd';
import type { TextAreaRef } from 'antd/es/input/TextArea';
import { useRef, useState } from 'react';
import { useDraft } from '../parts/useDraft';

/** Takes cells that were copied from a spreadsheet. */
export function Paste({ take }: { take: (text: string) => void }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useDraft('cells to paste');
  const area = useRef<TextAreaRef>(null);
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
        // The dialog takes the focus for itself when it opens; the text to be pasted goes into its field.
        afterOpenChange={(shown) => shown && area.current?.focus()}
      >
        <Input.TextArea
          aria-label="Cells"
          ref={area}
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
