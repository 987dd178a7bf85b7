import { renderSVG } from 'uqr';
import { askOauth, keepTokens, Refused } from './service.ts';

interface Asked {
  readonly device_code: string;
  readonly user_code: string;
  readonly verification_uri: string;
  readonly verification_uri_complete: string;
  readonly expires_in: number;
  readonly interval: number;
}

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** The browser in a few words. */
export function browserName(): string {
  const [, name, version] = /(Firefox|Chrome|Version)\/(\d+)/.exec(navigator.userAgent) ?? [];
  return name ? `${name === 'Version' ? 'Safari' : name} ${version}` : 'a browser';
}

function show(root: HTMLElement, asked: Asked): void {
  root.className = 'pairing';
  root.replaceChildren();
  const words = document.createElement('div');
  const line = (tag: string, text: string, name: string) => {
    const one = document.createElement(tag);
    one.className = name;
    one.textContent = text;
    words.append(one);
  };
  line('h1', 'Pair this screen. Open', 'lead');
  line('p', asked.verification_uri.replace(/^https?:\/\//, ''), 'address');
  line('p', 'and enter', 'lead');
  line('p', asked.user_code, 'code');
  line('p', 'or scan:', 'lead narrow');
  const picture = document.createElement('div');
  picture.className = 'qr';
  picture.innerHTML = renderSVG(asked.verification_uri_complete, { border: 2 });
  picture.setAttribute('role', 'img');
  picture.setAttribute('aria-label', `QR code of ${asked.verification_uri_complete}`);
  root.append(words, picture);
}

/**
 * Shows a code until somebody takes this screen in; a new one when it runs out or was refused.
 *
 * @see RFC 8628
 */
export async function pair(root: HTMLElement): Promise<void> {
  for (;;) {
    const size = { width: String(screen.width), height: String(screen.height) };
    const asked = await askOauth<Asked>('/oauth/device_authorization', { browser: browserName(), ...size }, false);
    show(root, asked);
    let everyMs = asked.interval * 1000;
    const until = performance.now() + asked.expires_in * 1000;
    while (performance.now() < until) {
      await wait(everyMs);
      try {
        const form = { grant_type: 'urn:ietf:params:oauth:grant-type:device_code', device_code: asked.device_code };
        await keepTokens(await askOauth('/oauth/token', form, true));
        return;
      } catch (error) {
        // Without a network it is asked again; what else is wrong with the code, another one heals.
        if (!(error instanceof Refused)) continue;
        if (error.code === 'PAIRING_SLOWER') everyMs += 5_000;
        else if (error.code !== 'PAIRING_PENDING') break;
      }
    }
  }
}
