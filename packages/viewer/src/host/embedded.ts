import type { RecordFields } from '../view/viewApi.ts';
import type { Host, HostQuestion, TokenState } from './host.ts';

/** A page of this service around another: it knows who looks, and its own host hears and says the rest. */
export class WithinHost implements Host {
  readonly isFramed: boolean;
  /** What the host said last: what is turned to begins with it. */
  record: RecordFields | undefined;
  readonly #outer: Host;
  readonly #key: () => string | undefined;
  #onShow: (question: HostQuestion) => void = () => undefined;
  #onRecord: (record: RecordFields) => void = () => undefined;

  /** @param key - by which whoever looks is known; nothing where the cookie is enough */
  constructor(outer: Host, key: () => string | undefined) {
    this.isFramed = outer.isFramed;
    this.#outer = outer;
    this.#key = key;
    outer.listen(
      (question) => this.#onShow(question),
      (record) => {
        this.record = record;
        this.#onRecord(record);
      },
    );
  }

  ask(onToken: (state: TokenState) => void): void {
    const token = this.#key();
    onToken(token === undefined ? { none: true } : { token });
  }
  listen(onShow: (question: HostQuestion) => void, onRecord: (record: RecordFields) => void): void {
    this.#onShow = onShow;
    this.#onRecord = onRecord;
  }
  tell(message: Parameters<Host['tell']>[0]): void {
    this.#outer.tell(message);
  }
  /** The page around says how high it is as a whole. */
  tellHeight(): void {}
}
