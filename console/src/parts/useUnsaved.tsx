import { Modal } from 'antd';
import { useEffect } from 'react';
import { useBlocker } from 'react-router';

/** The state of an address under which what is shown stays as it is. */
export const stays = 'stays';

/** Asks before the page is left, by a link, the browser's buttons or a reload, while something on it is not saved. Returns the question. */
export function useUnsaved(unsaved: boolean, what: string) {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) =>
      unsaved && currentLocation.pathname !== nextLocation.pathname && nextLocation.state !== stays,
  );
  useEffect(() => {
    if (!unsaved) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [unsaved]);
  return (
    <Modal
      title="Leave without saving?"
      open={blocker.state === 'blocked'}
      okText="Leave it"
      okButtonProps={{ danger: true }}
      cancelText="Stay here"
      onOk={() => blocker.proceed?.()}
      onCancel={() => blocker.reset?.()}
    >
      {what} has not been saved, and will be lost.
    </Modal>
  );
}
