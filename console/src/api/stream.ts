/**
 * Listens to events of the service while the page is on screen. Browsers keep few connections to one host, and a page that is hidden holds
 * none of them; that it is shown again is told, for what happened meanwhile was missed. Returns how to stop.
 */
export function stream(
  url: string,
  name: string,
  tell: (data: string) => void,
  on: { closed?: () => void; again?: () => void } = {},
): () => void {
  let source: EventSource | undefined;
  let shown = false; // before
  const open = () => {
    if (document.visibilityState === 'hidden') {
      source?.close();
      source = undefined;
      return;
    }
    if (source) return;
    const mine = new EventSource(url);
    source = mine;
    if (shown) on.again?.();
    shown = true;
    mine.addEventListener(name, (event) => source === mine && tell((event as MessageEvent<string>).data));
    mine.onerror = () => {
      if (source !== mine || mine.readyState !== EventSource.CLOSED) return; // it is tried again by itself
      source = undefined;
      on.closed?.();
    };
  };
  open();
  document.addEventListener('visibilitychange', open);
  return () => {
    document.removeEventListener('visibilitychange', open);
    source?.close();
    source = undefined;
  };
}
