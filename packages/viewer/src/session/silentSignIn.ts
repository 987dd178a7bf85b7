/** What the directory refuses comes back at once: so long takes only a slow network. */
const withinMs = 15_000;
const name = 'underbell silent sign-in';

/** Whether the reader's own cookie is sent from within this frame, and is known. */
async function isKnown(): Promise<boolean> {
  const answer = await fetch('/api/v1/session').catch(() => undefined);
  return answer?.ok === true;
}

/** Goes to the directory and back in a frame that nobody sees; it asks for nothing, and so answers at once. */
function goAndComeBack(): Promise<boolean> {
  return new Promise((resolve) => {
    const frame = document.createElement('iframe');
    frame.hidden = true;
    frame.title = 'signing in';
    const done = (isBack: boolean) => {
      window.clearTimeout(timer);
      frame.remove();
      resolve(isBack);
    };
    const timer = window.setTimeout(() => done(false), withinMs);
    frame.addEventListener('load', () => {
      try {
        // What is of another origin cannot be read: then it is the directory still.
        if (frame.contentWindow?.location.pathname === '/sign-in/silent') done(true);
      } catch {
        done(false);
      }
    });
    frame.src = '/sign-in/sso?silent';
    document.body.append(frame);
  });
}

/**
 * Signs a reader in without a word where the directory knows the browser: within a frame of a host that they signed in to. Of
 * many frames on a page one goes, and the others find themselves known.
 *
 * @returns false where there is no directory, it does not know them, or the browser keeps cookies from frames
 * @see OpenID Connect Core 1.0, section 3.1.2.1: `prompt=none`
 */
export async function signInSilently(): Promise<boolean> {
  const answer = await fetch('/api/v1/setup').catch(() => undefined);
  const { hasDirectory = false } = answer?.ok ? ((await answer.json()) as { hasDirectory?: boolean }) : {};
  if (!hasDirectory) return false;
  const go = async () => (await isKnown()) || ((await goAndComeBack()) && (await isKnown()));
  return 'locks' in navigator ? navigator.locks.request(name, go) : go();
}
