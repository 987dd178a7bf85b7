/** What a host wants shown: it narrows, as the words of an address do. */
export interface HostQuestion {
  readonly page?: string;
  readonly where?: string;
  readonly parameters: Readonly<Record<string, readonly string[]>>;
}

/** `host`: the origin whose own token it is; without, it is the reader's own key. */
export type TokenState =
  { readonly token: string; readonly host?: string } | { readonly failure: string } | { readonly none: true };

/** What is around the viewer: a page of somebody's, a chat, the window that it was opened from. */
export interface Host {
  readonly isFramed: boolean;
  /** Of a chat: its name. */
  readonly chat?: string;
  /** Asks for what opens the page. @param onToken - called now and at each renewal */
  ask(onToken: (state: TokenState) => void): void;
  /** @param onShow - called when the host wants something else shown */
  listen(onShow: (question: HostQuestion) => void): void;
  /** Tells what happened in the frame. */
  tell(message: { readonly underBell: 'ready' | 'picked' | 'problem' } & Readonly<Record<string, unknown>>): void;
  /** Tells how high the page is. */
  tellHeight(height: number): void;
}
