import type { ReactNode } from 'react';

/** A form that is sent by its button, or by Enter in a text field; Enter in a list only chooses from it. */
export function Form(p: { label?: string; className?: string; send: () => void; children: ReactNode }) {
  return (
    <form
      className={p.className}
      aria-label={p.label}
      onSubmit={(event) => {
        event.preventDefault();
        if (document.activeElement?.getAttribute('role') !== 'combobox') p.send();
      }}
    >
      {p.children}
    </form>
  );
}
