import { useState } from 'react';
import { useMe } from '../api/people';

/** Where drafts are kept while their tab is open. A browser may keep nothing for a page; then they last until it is loaded again. */
const kept: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'> = (() => {
  try {
    sessionStorage.getItem('');
    return sessionStorage;
  } catch {
    const texts = new Map<string, string>();
    return {
      getItem: (place) => texts.get(place) ?? null,
      setItem: (place, text) => void texts.set(place, text),
      removeItem: (place) => void texts.delete(place),
    };
  }
})();

/**
 * A text that somebody is writing and has not sent. It belongs to its writer and its place, such as a comment on one exception of one report,
 * and is there again whenever the writer comes back to the place: after another page, a reload, or a session that ended. A text that was sent is
 * dropped, unless it was written on meanwhile.
 */
export function useDraft(place: string): [text: string, write: (text: string) => void, sent: (text: string) => void] {
  const me = useMe();
  const at = `twinsieve draft of ${me.data?.name} at ${place}`;
  const [written, setWritten] = useState({ at, text: kept.getItem(at) ?? '' });
  let now = written;
  if (now.at !== at) {
    now = { at, text: kept.getItem(at) ?? '' };
    setWritten(now);
  }
  const write = (text: string) => {
    setWritten({ at, text });
    if (!text) return kept.removeItem(at);
    try {
      kept.setItem(at, text);
    } catch {
      // There is no room: it lasts as long as what is shown.
    }
  };
  const sent = (text: string) => {
    setWritten((w) => (w.at === at && w.text === text ? { at, text: '' } : w));
    if (kept.getItem(at) === text) kept.removeItem(at);
  };
  return [now.text, write, sent];
}
