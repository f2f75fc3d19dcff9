/** How many streams of events a browser holds open, whatever number of its pages are on screen: it keeps few connections to one host. */
const most = 3;

/** How often it is asked instead, where no stream is to be had, in milliseconds. */
const pause = 3000;

/** Takes one of the browser's streams, and returns how to give it back; nothing where other pages have them all. */
async function take(): Promise<(() => void) | undefined> {
  if (!('locks' in navigator)) return () => undefined; // as over ways that are not encrypted
  for (let n = 0; n < most; n++) {
    const back = await new Promise<(() => void) | undefined>((got) => {
      void navigator.locks.request(`twinsieve events ${n}`, { ifAvailable: true }, (lock) => {
        if (lock) return new Promise<void>((release) => got(release));
        got(undefined);
        return undefined;
      });
    });
    if (back) return back;
  }
  return undefined;
}

/**
 * Listens to events of the service while the page is on screen. A page that is hidden holds no stream; that it is shown again is told, for
 * what happened meanwhile was missed. Where other pages of the browser hold all streams that there may be, it is asked every few seconds
 * instead. A stream that the service has ended or refuses is tried again after a while, unless the caller wants to hear of that. Returns how
 * to stop.
 */
export function stream(
  url: string,
  name: string,
  tell: (data: string) => void,
  on: { ask: () => void; closed?: () => void; again?: () => void },
): () => void {
  let close: (() => void) | undefined; // what is open
  let turn = 0;
  let later: ReturnType<typeof setTimeout> | undefined; // until it is tried again
  let shown = document.visibilityState === 'hidden'; // before, or begun without being seen
  const shut = () => {
    turn++;
    clearTimeout(later);
    close?.();
    close = undefined;
  };
  const open = async () => {
    const mine = ++turn;
    const back = await take();
    if (mine !== turn) {
      back?.();
      return;
    }
    if (!back) {
      const timer = setInterval(on.ask, pause);
      close = () => clearInterval(timer);
      on.ask();
      return;
    }
    const source = new EventSource(url);
    close = () => {
      source.close();
      back();
    };
    source.addEventListener(name, (event) => mine === turn && tell((event as MessageEvent<string>).data));
    source.onerror = () => {
      if (mine !== turn || source.readyState !== EventSource.CLOSED) return; // it is tried again by itself
      shut();
      if (on.closed) on.closed();
      else later = setTimeout(look, pause);
    };
  };
  const look = () => {
    if (document.visibilityState === 'hidden') shut();
    else if (!close) {
      if (shown) on.again?.();
      shown = true;
      void open();
    }
  };
  look();
  document.addEventListener('visibilitychange', look);
  return () => {
    document.removeEventListener('visibilitychange', look);
    shut();
  };
}
