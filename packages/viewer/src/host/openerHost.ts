import { askOpener } from '../session/receivedToken.ts';
import type { Host, TokenState } from './host.ts';

/** The page that this window was opened from: whoever was known there is known here, for as long as it stands. */
export class OpenerHost implements Host {
  readonly isFramed = false;
  #onToken: (state: TokenState) => void = () => undefined;

  ask(onToken: (state: TokenState) => void): void {
    this.#onToken = onToken;
    this.renew();
  }
  /** The page behind may have got another one meanwhile. */
  renew(): void {
    void askOpener().then((key) => this.#onToken(key === undefined ? { none: true } : { token: key }));
  }
  listen(): void {}
  tell(): void {}
  tellHeight(): void {}
}
