import type { RecordFields } from '../view/viewApi.ts';

/** What a host wants shown: it narrows, as the words of an address do. */
export interface HostQuestion {
  readonly page?: string;
  readonly where?: string;
  readonly parameters: Readonly<Record<string, readonly string[]>>;
}

/** `host`: the origin whose own token it is; without, it is the reader's own key. */
export type TokenState =
  | { readonly token: string; readonly host?: string }
  /** `code`: why the host's server gave none, where it said so. */
  | { readonly failure: string; readonly code?: string }
  | { readonly none: true };

/** What is around the viewer: a page of somebody's, a chat, the window that it was opened from. */
export interface Host {
  readonly isFramed: boolean;
  /** Of a chat: its name. */
  readonly chat?: string;
  /** The record that is shown around, where that is known before anything is asked. */
  readonly record?: RecordFields | undefined;
  /** Asks for what opens the page. @param onToken - called now and at each renewal */
  ask(onToken: (state: TokenState) => void): void;
  /**
   * @param onShow - called when the host wants something else shown
   * @param onRecord - called when it shows another record: page and what the reader picked stay
   */
  listen(onShow: (question: HostQuestion) => void, onRecord: (record: RecordFields) => void): void;
  /** Asks for another token, where the one before opens nothing any more; the answer comes as the first did. */
  renew?(): void;
  /** Tells what happened in the frame. */
  tell(message: { readonly underBell: 'ready' | 'selection' | 'problem' } & Readonly<Record<string, unknown>>): void;
  /** Tells how high the page is. */
  tellHeight(height: number): void;
}
