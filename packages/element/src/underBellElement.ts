/** What the viewer in the frame says. */
type FrameMessage =
  { readonly underBell: 'hello' | 'token please' } | { readonly underBell: 'height'; readonly height: number };

interface TokenAnswer {
  readonly access_token?: string;
  readonly expires_in?: number;
}

const style = `
  :host { display: block; min-height: 20rem; }
  iframe { display: block; width: 100%; border: 0; min-height: inherit; height: var(--under-bell-height, 40rem); }
  p { font: 15px/1.5 system-ui, sans-serif; margin: 0; padding: 1rem; border: 1px solid #a8321f; color: #a8321f; }
`;

/**
 * Shows a placement in a host page.
 *
 * `src`: the placement's link. `token-from`: an address of the host's own server that answers with an access token
 * (`access_token`, `expires_in`), asked again before it runs out. `title`: what the frame is, for screen readers.
 * The token goes to the frame by message, to the link's exact origin; it is never part of an address.
 */
export class UnderBellElement extends HTMLElement {
  static readonly observedAttributes = ['src', 'token-from', 'title'];
  #frame: HTMLIFrameElement | undefined;
  #origin = '';

  connectedCallback(): void {
    window.addEventListener('message', this.#onMessage);
    this.#draw();
  }

  disconnectedCallback(): void {
    window.removeEventListener('message', this.#onMessage);
  }

  attributeChangedCallback(): void {
    // Before the element stands in the page, `connectedCallback` is still to come.
    if (this.#frame) this.#draw();
  }

  #draw(): void {
    const root = this.shadowRoot ?? this.attachShadow({ mode: 'open' });
    this.#frame = undefined;
    root.innerHTML = `<style>${style}</style>`;
    const source = this.getAttribute('src') ?? '';
    if (!URL.canParse(source, document.baseURI)) {
      this.#complain('under-bell: the attribute src is not an address');
      return;
    }
    const url = new URL(source, document.baseURI);
    this.#origin = url.origin;
    this.#frame = document.createElement('iframe');
    this.#frame.title = this.getAttribute('title') ?? 'Report';
    this.#frame.referrerPolicy = 'no-referrer';
    this.#frame.src = url.href;
    root.append(this.#frame);
  }

  #complain(text: string): void {
    const paragraph = document.createElement('p');
    paragraph.setAttribute('role', 'alert');
    paragraph.textContent = text;
    this.shadowRoot!.append(paragraph);
  }

  readonly #onMessage = (event: MessageEvent<FrameMessage>): void => {
    if (event.source !== this.#frame?.contentWindow || event.origin !== this.#origin) return;
    const { data } = event;
    if (data.underBell === 'height')
      this.style.setProperty('--under-bell-height', `${Math.max(120, Math.ceil(data.height))}px`);
    else if (data.underBell === 'hello' || data.underBell === 'token please') void this.#sendToken();
  };

  async #sendToken(): Promise<void> {
    const from = this.getAttribute('token-from');
    if (from === null) return this.#tell({ underBell: 'no token' });
    try {
      const answer = await fetch(from, { credentials: 'same-origin', headers: { Accept: 'application/json' } });
      const body = (await answer.json()) as TokenAnswer;
      if (!answer.ok || !body.access_token) throw new Error(`the host page's server answered ${answer.status}`);
      this.#tell({ underBell: 'token', token: body.access_token, expiresInSeconds: body.expires_in ?? 300 });
    } catch (error) {
      this.#tell({ underBell: 'token failed', message: (error as Error).message });
    }
  }

  #tell(message: object): void {
    this.#frame?.contentWindow?.postMessage(message, this.#origin);
  }
}
