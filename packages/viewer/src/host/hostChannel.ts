import { hasElement } from './customElementHost.ts';
import type { Host, HostQuestion, TokenState } from './host.ts';
import type { RecordFields } from '../view/viewApi.ts';
import { setHostTheme, type HostTheme } from '../theme/useTheme.ts';

/** What a host page says to the viewer in its frame. */
type HostMessage =
  | { readonly underBell: 'token'; readonly token: string; readonly expiresInSeconds: number }
  | { readonly underBell: 'token-error'; readonly message: string; readonly code?: string }
  | { readonly underBell: 'record'; readonly record: RecordFields }
  | { readonly underBell: 'theme'; readonly theme: HostTheme }
  | { readonly underBell: 'no-token' }
  | { readonly underBell: 'show'; readonly question: HostQuestion };

const isText = (value: unknown): value is string => typeof value === 'string' && value.length <= 16_384;

/** What comes by message is looked at as what comes by address is. */
function isQuestion(value: unknown): value is HostQuestion {
  if (typeof value !== 'object' || value === null) return false;
  const { page, where, parameters } = value as Partial<Record<keyof HostQuestion, unknown>>;
  return (
    (page === undefined || isText(page)) &&
    (where === undefined || isText(where)) &&
    typeof parameters === 'object' &&
    parameters !== null &&
    Object.values(parameters).every((values) => Array.isArray(values) && values.every(isText))
  );
}

const isRecord = (value: unknown): value is RecordFields =>
  typeof value === 'object' && value !== null && Object.values(value).every((one) => isText(one));

const answerWithinMs = 4_000;
/** A host that speaks without the element may answer as well, at once. */
const plainWithinMs = 150;
/** A token is renewed when this share of its life is over. */
const renewAt = 0.8;

/**
 * The talk between the frame and its host page. Only origins that the placement allows are spoken to or listened to,
 * and a token stays in memory.
 */
export class HostChannel implements Host {
  readonly #origins: readonly string[];
  #onToken: (state: TokenState) => void = () => undefined;
  #onShow: (question: HostQuestion) => void = () => undefined;
  #onRecord: (record: RecordFields) => void = () => undefined;
  #renewal: number | undefined;

  constructor(origins: readonly string[]) {
    this.#origins = origins;
    window.addEventListener('message', this.#onMessage);
  }

  get isFramed(): boolean {
    return window.parent !== window;
  }

  /** Asks the host for a token. @param onToken - called now and at each renewal */
  ask(onToken: (state: TokenState) => void): void {
    this.#onToken = onToken;
    if (!this.isFramed) return onToken({ none: true });
    const timer = window.setTimeout(() => onToken({ none: true }), hasElement() ? answerWithinMs : plainWithinMs);
    const first = this.#onToken;
    this.#onToken = (state) => {
      window.clearTimeout(timer);
      first(state);
    };
    this.#tell({ underBell: 'ready-for-host' });
  }

  listen(onShow: (question: HostQuestion) => void, onRecord: (record: RecordFields) => void): void {
    this.#onShow = onShow;
    this.#onRecord = onRecord;
  }

  renew(): void {
    this.#tell({ underBell: 'token-request' });
  }

  /** Tells the host what happened in its frame. */
  tell(message: { readonly underBell: 'ready' | 'selection' | 'problem' } & Readonly<Record<string, unknown>>): void {
    if (this.isFramed) this.#tell(message);
  }

  /** Tells the host how high the page is, so that its frame fits. */
  tellHeight(height: number): void {
    if (this.isFramed) this.#tell({ underBell: 'height', height });
  }

  #tell(message: object): void {
    for (const origin of this.#origins) window.parent.postMessage(message, origin);
  }

  readonly #onMessage = (event: MessageEvent<HostMessage>): void => {
    if (event.source !== window.parent || !this.#origins.includes(event.origin)) return;
    const { data } = event;
    if (data.underBell === 'token') {
      this.#onToken({ token: data.token, host: event.origin });
      window.clearTimeout(this.#renewal);
      this.#renewal = window.setTimeout(
        () => this.#tell({ underBell: 'token-request' }),
        data.expiresInSeconds * 1000 * renewAt,
      );
    } else if (data.underBell === 'token-error') {
      const { message, code } = data;
      this.#onToken({ failure: message, ...(typeof code === 'string' ? { code } : {}) });
    } else if (data.underBell === 'record') {
      if (isRecord(data.record)) this.#onRecord(data.record);
    } else if (data.underBell === 'theme') {
      setHostTheme(data.theme);
    } else if (data.underBell === 'show') {
      if (isQuestion(data.question)) this.#onShow(data.question);
    } else if (data.underBell === 'no-token') {
      this.#onToken({ none: true });
    }
  };
}
