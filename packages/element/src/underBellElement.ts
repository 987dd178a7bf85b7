/** What the viewer in the frame says. */
type FrameMessage =
  | { readonly underBell: 'ready-for-host' | 'token-request' }
  | { readonly underBell: 'height'; readonly height: number }
  | { readonly underBell: 'ready'; readonly page: string }
  | { readonly underBell: 'selection'; readonly figure: string; readonly values?: readonly string[] }
  | { readonly underBell: 'problem'; readonly code: string; readonly message: string };

interface TokenAnswer {
  readonly access_token?: string;
  readonly expires_in?: number;
  /** Why there is none, as the token endpoint said. */
  readonly code?: string;
  readonly error_description?: string;
}

/** Values of report parameters by name. */
export type Parameters = Readonly<Record<string, string | readonly string[]>>;
/** Fields of the record that the host shows, by name. */
export type RecordFields = Readonly<Record<string, string>>;

/** Colours and letters that the host gives. */
export interface Theme {
  readonly scheme?: 'light' | 'dark';
  /** Six hexadecimal digits each: `#1d5468`. */
  readonly colours?: { readonly background: string; readonly figure: string; readonly text: string };
  readonly font?: string;
  /** A language tag (BCP 47), for dates and numbers. */
  readonly language?: string;
}

/** The events of the element, each a `CustomEvent` with these details; they bubble, and leave shadow roots. */
export interface UnderBellEvents {
  /** The page is drawn: its name. */
  readonly ready: { readonly page: string };
  /** The reader picked something in a figure; the values are told where the host's own token opened it. */
  readonly selection: { readonly figure: string; readonly values?: readonly string[] };
  /** Nothing can be shown: a stable code, and why in words. */
  readonly problem: { readonly code: string; readonly message: string };
  /** How high the page is, in pixels. */
  readonly height: { readonly height: number };
}

const style = `
  :host { display: block; min-height: 20rem; }
  iframe { display: block; width: 100%; border: 0; min-height: inherit; height: var(--under-bell-height, 40rem); }
  p { font: 15px/1.5 system-ui, sans-serif; margin: 0; padding: 1rem; border: 1px solid #a8321f; color: #a8321f; }
`;

const textsOf = (value: string | readonly string[]): readonly string[] => (typeof value === 'string' ? [value] : value);

/**
 * Shows a placement in a host page.
 *
 * `src`: the placement's link. `token-url`: an address of the host's own server that answers with an access token
 * (`access_token`, `expires_in`), asked again before it runs out, with the fields of `record` as words of its query; without it
 * whoever looks signs in, silently where they may, and the record goes to the frame.
 * `title`: what the frame is, for screen readers. `page`, `filter` (CQL2 text that narrows), `parameters` and `record` (JSON
 * objects), `scheme` (`light` or `dark`) and `height` (pixels; as high as the page when left out) can be attributes or
 * properties; changing them draws anew without loading anew.
 *
 * The token goes to the frame by message, to the link's exact origin; it is never part of an address.
 *
 * @fires ready @fires selection @fires problem @fires height
 */
export class UnderBellElement extends HTMLElement {
  static readonly observedAttributes = [
    'src',
    'token-url',
    'title',
    'page',
    'filter',
    'parameters',
    'record',
    'scheme',
    'height',
  ];
  #frame: HTMLIFrameElement | undefined;
  #origin = '';
  #theme: Theme = {};
  #turn = 0;

  connectedCallback(): void {
    window.addEventListener('message', this.#onMessage);
    this.#draw();
  }

  disconnectedCallback(): void {
    window.removeEventListener('message', this.#onMessage);
    this.#frame = undefined;
  }

  attributeChangedCallback(name: string, before: string | null, now: string | null): void {
    // Before the element stands in the page, `connectedCallback` is still to come.
    if (!this.#frame || before === now) return;
    if (name === 'page' || name === 'filter' || name === 'parameters') this.#show();
    else if (name === 'record') this.#sendRecord();
    else if (name === 'scheme') this.#sendTheme();
    else if (name === 'height') this.#fit();
    else if (name === 'title') this.#frame.title = now ?? 'Report';
    else if (name === 'token-url') void this.#sendToken();
    else this.#draw();
  }

  get page(): string | null {
    return this.getAttribute('page');
  }
  set page(page: string | null) {
    this.#set('page', page);
  }

  /** CQL2 text; it can only narrow. */
  get filter(): string | null {
    return this.getAttribute('filter');
  }
  set filter(filter: string | null) {
    this.#set('filter', filter);
  }

  get parameters(): Parameters {
    return this.#object('parameters') as Parameters;
  }
  set parameters(parameters: Parameters) {
    this.#set('parameters', JSON.stringify(parameters));
  }

  /** The record that the host shows: another one is another token, and the same frame. */
  get record(): RecordFields {
    return this.#object('record') as RecordFields;
  }
  set record(record: RecordFields) {
    this.#set('record', JSON.stringify(record));
  }

  get theme(): Theme {
    return this.#theme;
  }
  set theme(theme: Theme) {
    this.#theme = theme;
    this.#sendTheme();
  }

  override addEventListener<Name extends keyof UnderBellEvents>(
    type: Name,
    listener: (event: CustomEvent<UnderBellEvents[Name]>) => void,
    options?: boolean | AddEventListenerOptions,
  ): void;
  override addEventListener<Name extends keyof HTMLElementEventMap>(
    type: Name,
    listener: (event: HTMLElementEventMap[Name]) => void,
    options?: boolean | AddEventListenerOptions,
  ): void;
  override addEventListener(
    type: string,
    listener: EventListenerOrEventListenerObject,
    options?: boolean | AddEventListenerOptions,
  ): void;
  override addEventListener(
    type: string,
    listener: ((event: never) => void) | EventListenerObject,
    options?: boolean | AddEventListenerOptions,
  ): void {
    super.addEventListener(type, listener as EventListenerOrEventListenerObject, options);
  }

  /** Asks for a token and for the figures anew, in the same frame. */
  refresh(): Promise<void> {
    return this.#sendToken();
  }

  #set(name: string, value: string | null): void {
    if (value === null) this.removeAttribute(name);
    else this.setAttribute(name, value);
  }

  #object(name: string): object {
    const text = this.getAttribute(name);
    if (text === null || text === '') return {};
    try {
      const value: unknown = JSON.parse(text);
      if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value;
    } catch {
      // Told below: to whoever writes the page, not to whoever reads it.
    }
    this.#dispatch('problem', { code: 'INPUT_INVALID', message: `attribute “${name}” is not a JSON object` });
    return {};
  }

  #draw(): void {
    const root = this.shadowRoot ?? this.attachShadow({ mode: 'open' });
    this.#frame = undefined;
    root.innerHTML = `<style>${style}</style>`;
    const source = this.getAttribute('src') ?? '';
    if (!URL.canParse(source, document.baseURI)) {
      this.#complain('under-bell: attribute “src” is not a URL');
      return;
    }
    const url = new URL(source, document.baseURI);
    this.#origin = url.origin;
    for (const [name, values] of Object.entries(this.parameters))
      for (const value of textsOf(values)) url.searchParams.append(name, value);
    if (!this.hasAttribute('token-url'))
      for (const [name, value] of Object.entries(this.record)) url.searchParams.append('record', `${name}:${value}`);
    if (this.page !== null) url.searchParams.set('page', this.page);
    if (this.filter !== null) url.searchParams.set('where', this.filter);
    // Its page waits for what the host says; in a plain frame nobody says anything.
    url.hash = 'host';
    this.#frame = document.createElement('iframe');
    this.#frame.title = this.getAttribute('title') ?? 'Report';
    // Which host shows it, and nothing of the address.
    this.#frame.referrerPolicy = 'strict-origin';
    this.#frame.allow = 'clipboard-write; fullscreen';
    // Of many on a page those are drawn first that are seen.
    this.#frame.loading = 'lazy';
    this.#frame.src = url.href;
    this.#fit();
    root.append(this.#frame);
  }

  #fit(pixels?: number): void {
    const fixed = Number(this.getAttribute('height') ?? Number.NaN);
    const height = Number.isFinite(fixed) && fixed > 0 ? fixed : pixels;
    if (height === undefined) this.style.removeProperty('--under-bell-height');
    else this.style.setProperty('--under-bell-height', `${Math.max(120, Math.ceil(height))}px`);
  }

  #complain(text: string): void {
    const paragraph = document.createElement('p');
    paragraph.setAttribute('role', 'alert');
    paragraph.textContent = text;
    this.shadowRoot!.append(paragraph);
  }

  #dispatch<Name extends keyof UnderBellEvents>(name: Name, detail: UnderBellEvents[Name]): void {
    this.dispatchEvent(new CustomEvent(name, { detail, bubbles: true, composed: true }));
  }

  readonly #onMessage = (event: MessageEvent<FrameMessage>): void => {
    if (event.source !== this.#frame?.contentWindow || event.origin !== this.#origin) return;
    const { underBell, ...detail } = event.data;
    if (underBell === 'ready-for-host') {
      this.#sendTheme();
      void this.#sendToken();
    } else if (underBell === 'token-request') void this.#sendToken();
    else if (underBell === 'height') {
      const { height } = detail as UnderBellEvents['height'];
      this.#fit(height);
      this.#dispatch('height', { height });
    } else if (underBell === 'ready' || underBell === 'selection' || underBell === 'problem')
      this.#dispatch(underBell, detail as never);
  };

  /** Another record: another token, or nothing but the record where nobody hands out tokens. */
  #sendRecord(): void {
    if (this.hasAttribute('token-url')) void this.#sendToken();
    else this.#tell({ underBell: 'record', record: this.record });
  }

  /** Turns the page in the frame to what page, filter and parameters say now. */
  #show(): void {
    this.#tell({
      underBell: 'show',
      question: {
        ...(this.page === null ? {} : { page: this.page }),
        ...(this.filter === null ? {} : { where: this.filter }),
        parameters: Object.fromEntries(Object.entries(this.parameters).map(([name, one]) => [name, textsOf(one)])),
      },
    });
  }

  #sendTheme(): void {
    const scheme = this.getAttribute('scheme');
    const said = scheme === 'light' || scheme === 'dark' ? { scheme } : {};
    const theme = { ...said, ...this.#theme } as Theme;
    if (Object.keys(theme).length > 0) this.#tell({ underBell: 'theme', theme });
  }

  async #sendToken(): Promise<void> {
    const from = this.getAttribute('token-url');
    if (from === null) return this.#tell({ underBell: 'no-token' });
    // The answer for a record that is shown no more is nobody's.
    const turn = ++this.#turn;
    try {
      const url = new URL(from, document.baseURI);
      for (const [name, value] of Object.entries(this.record)) url.searchParams.set(name, value);
      const answer = await fetch(url, { credentials: 'same-origin', headers: { Accept: 'application/json' } });
      const body = (await answer.json()) as TokenAnswer;
      if (turn !== this.#turn) return;
      if (!answer.ok || !body.access_token) {
        // What the token endpoint said of the record is the reader's; what else is wrong is the host's own affair.
        const isSaid = body.code === 'RECORD_INCOMPLETE' || body.code === 'APP_DISABLED';
        const message = isSaid ? body.error_description : `token URL returned status ${answer.status}`;
        return this.#tell({ underBell: 'token-error', message, ...(isSaid ? { code: body.code } : {}) });
      }
      this.#tell({ underBell: 'token', token: body.access_token, expiresInSeconds: body.expires_in ?? 300 });
    } catch (error) {
      if (turn === this.#turn) this.#tell({ underBell: 'token-error', message: (error as Error).message });
    }
  }

  #tell(message: object): void {
    this.#frame?.contentWindow?.postMessage(message, this.#origin);
  }
}

declare global {
  interface HTMLElementTagNameMap {
    'under-bell': UnderBellElement;
  }
}
