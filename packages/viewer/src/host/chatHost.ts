import { WidgetApi } from 'matrix-widget-api';
import type { Host, TokenState } from './host.ts';
import { hostHeaders } from './pageAround.ts';

/** A session is renewed when this share of its life is over. */
const renewAt = 0.8;
const againMs = 20_000;

interface Session {
  readonly key: string;
  /** Instant. */
  readonly expiresAt: string;
}

/**
 * The chat around a tab: it says who is looking, and the service believes it. Whoever opens the tab's address by itself has no
 * chat around, and signs in.
 *
 * @see Matrix proposals 1236 (widgets) and 1960 (OpenID credentials)
 */
export class ChatHost implements Host {
  readonly chat: string;
  readonly isFramed = window.parent !== window;
  readonly #origins: readonly string[];
  #api: WidgetApi | undefined;
  #timer: number | undefined;

  /** @param said - of the page: the chat, and the origins of pages that may be around */
  constructor(said: Readonly<Record<string, string | undefined>>) {
    this.chat = said['chat'] ?? '';
    this.#origins = (said['origins'] ?? '').split(' ').filter(Boolean);
  }

  ask(onToken: (state: TokenState) => void): void {
    if (!this.isFramed) return onToken({ none: true });
    window.clearTimeout(this.#timer);
    this.#enter().then(
      ({ key, expiresAt }) => {
        onToken({ token: key });
        const lastsMs = new Date(expiresAt).getTime() - Date.now();
        this.#timer = window.setTimeout(() => this.ask(onToken), Math.max(againMs, lastsMs * renewAt));
      },
      (error: unknown) => onToken({ failure: error instanceof Error ? error.message : 'The chat is not responding.' }),
    );
  }
  /** A chat sets nothing in its tabs. */
  listen(): void {}
  tell(): void {}
  tellHeight(): void {}

  /** The chat's page, as the tab's address says; only one of those that may be around. No other hears what is asked of it. */
  get #chatOrigin(): string {
    const parent = new URLSearchParams(window.location.search).get('parentUrl') ?? '';
    const said = URL.canParse(parent) ? new URL(parent).origin : this.#origins[0];
    if (said === undefined || !this.#origins.includes(said)) throw new Error('This page is not embedded in the chat.');
    return said;
  }

  #open(): WidgetApi {
    if (this.#api) return this.#api;
    const search = new URLSearchParams(window.location.search);
    const api = new WidgetApi(search.get('widgetId') ?? '', this.#chatOrigin);
    api.start();
    this.#api = api;
    return api;
  }

  async #enter(): Promise<Session> {
    const { access_token: accessToken, matrix_server_name: serverName } =
      await this.#open().requestOpenIDConnectToken();
    const answer = await fetch(`/api/v1/chat-servers/${encodeURIComponent(this.chat)}/session`, {
      method: 'POST',
      headers: { ...hostHeaders(this.#chatOrigin), 'Content-Type': 'application/json' },
      body: JSON.stringify({ accessToken, serverName }),
    });
    const said = (await answer.json()) as Session & { readonly detail?: string };
    if (answer.ok) return said;
    throw new Error(said.detail ?? 'Not signed in.');
  }
}
