import { askOpener } from '../session/handedKey.ts';
import type { Host, TokenState } from './host.ts';

/** The tab that this window was opened from: whoever was known there is known here. */
export class OpenerHost implements Host {
  readonly isFramed = false;

  ask(onToken: (state: TokenState) => void): void {
    void askOpener().then((key) => onToken(key === undefined ? { none: true } : { token: key }));
  }
  listen(): void {}
  tell(): void {}
  tellHeight(): void {}
}
