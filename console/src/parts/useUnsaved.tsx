import { Modal } from 'antd';
import { useEffect, useId, useRef } from 'react';
import { useBlocker } from 'react-router';

/** The state of an address under which what is shown stays as it is. */
export const stays = 'stays';

/** What is not saved on the page that is shown, in words, by the part of the page that says so. */
const unsaved = new Map<string, string>();

const ask = (event: BeforeUnloadEvent) => event.preventDefault();

/** Has the page ask before it is left, by a link, the browser's buttons or a reload, while a part of it is not saved. */
export function useUnsaved(is: boolean, what: string) {
  const part = useId();
  useEffect(() => {
    if (!is) return;
    unsaved.set(part, what);
    window.addEventListener('beforeunload', ask);
    return () => {
      unsaved.delete(part);
      if (unsaved.size === 0) window.removeEventListener('beforeunload', ask);
    };
  }, [is, part, what]);
}

/** The question before a page with something unsaved is left; there is one for all parts of it. */
export function Leaving() {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) =>
      unsaved.size > 0 && currentLocation.pathname !== nextLocation.pathname && nextLocation.state !== stays,
  );
  const answered = useRef<typeof blocker>(undefined); // a second press answers nothing
  const decide = (leave: boolean) => {
    if (blocker.state !== 'blocked' || answered.current === blocker) return;
    answered.current = blocker;
    if (leave) blocker.proceed();
    else blocker.reset();
  };
  return (
    <Modal
      title="Leave without saving?"
      open={blocker.state === 'blocked'}
      okText="Leave it"
      okButtonProps={{ danger: true }}
      cancelText="Stay here"
      destroyOnHidden
      onOk={() => decide(true)}
      onCancel={() => decide(false)}
    >
      {blocker.state === 'blocked' &&
        [...unsaved.values()].map((what) => <p key={what}>{what} has not been saved, and will be lost.</p>)}
    </Modal>
  );
}
