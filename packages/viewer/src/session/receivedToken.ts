/** What a window asks the tab that opened it, and is told: both are pages of this service. */
type HandMessage = { readonly underBell: 'session-request' } | { readonly underBell: 'key'; readonly key: string };

const mark = '#handed-over';
const answerWithinMs = 1_500;

/** An address whose page asks whoever opened it for the key. */
export const handedOver = (address: string): string => `${address}${mark}`;
export const wasHandedOver = (): boolean =>
  window.location.hash === mark && window.parent === window && window.opener !== null;

/** Gives a window that this page opened the reader's key, as often as it asks. @param keyOf - the key of that moment */
export function offerKey(opened: Window | null, keyOf: () => string | undefined): void {
  if (!opened) return;
  window.addEventListener('message', (event: MessageEvent<HandMessage>) => {
    if (event.source !== opened || event.origin !== window.location.origin) return;
    const key = keyOf();
    if (event.data.underBell !== 'session-request' || key === undefined) return;
    const message: HandMessage = { underBell: 'key', key };
    opened.postMessage(message, window.location.origin);
  });
}

/** Asks the page that opened this window for the reader's key; nothing where it does not answer. */
export function askOpener(): Promise<string | undefined> {
  const opener = window.opener as Window;
  return new Promise((resolve) => {
    const done = (key?: string) => {
      window.clearTimeout(timer);
      window.removeEventListener('message', hear);
      resolve(key);
    };
    const hear = (event: MessageEvent<HandMessage>) => {
      if (event.source !== opener || event.origin !== window.location.origin) return;
      if (event.data.underBell === 'key') done(event.data.key);
    };
    const timer = window.setTimeout(() => done(), answerWithinMs);
    window.addEventListener('message', hear);
    const message: HandMessage = { underBell: 'session-request' };
    opener.postMessage(message, window.location.origin);
  });
}
