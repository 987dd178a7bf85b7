/** What the sign-in window tells the frame that opened it. Both are pages of this service. */
interface WindowMessage {
  readonly underBell: 'session';
  readonly key: string;
}

/**
 * Signs a reader in from within a frame on another site, where no cookie of ours is sent: in a window of our own, which
 * hands over a short key. The key stays in this page's memory.
 */
export function openSignInWindow(onKey: (key: string) => void): void {
  const opened = window.open('/sign-in/window', 'underbell-sign-in', 'popup,width=480,height=560');
  const listen = (event: MessageEvent<WindowMessage>): void => {
    if (event.origin !== window.location.origin || event.source !== opened || event.data.underBell !== 'session')
      return;
    window.removeEventListener('message', listen);
    onKey(event.data.key);
  };
  window.addEventListener('message', listen);
}

/** Hands a key to the frame that opened this window, and closes it. @returns false when nobody is signed in yet */
export async function handOver(): Promise<boolean> {
  const answer = await fetch('/api/v1/session/frame', { method: 'POST' });
  if (!answer.ok) return false;
  const { key } = (await answer.json()) as { key: string };
  const opener = window.opener as Window | null;
  const message: WindowMessage = { underBell: 'session', key };
  opener?.postMessage(message, window.location.origin);
  window.close();
  return true;
}
