/** What frames of this service tell each other on one host page. */
type FrameMessage = { readonly wanted: true } | { readonly key: string };

const name = 'underbell frame key';

/** Where a browser keeps nothing for frames, the key lives in memory alone. */
function kept<T>(use: (storage: Storage) => T): T | undefined {
  try {
    return use(window.sessionStorage);
  } catch {
    return undefined;
  }
}

/**
 * The key of a reader who signed in from within a frame, where no cookie is sent. One sign-in opens all frames of a host:
 * browsers let frames of one origin below one host share what no other page can reach, neither the host nor this service in
 * another host's page. It stays for as long as the tab is open, or until the service does not take it any more.
 */
export class FrameKey {
  #key: string | undefined;
  readonly #refused = new Set<string>();
  readonly #channel: BroadcastChannel | undefined;

  /** @param onKey - called with a key that another frame got */
  constructor(onKey: (key: string) => void) {
    if (window.parent === window) return;
    this.#key = kept((storage) => storage.getItem(name)) ?? undefined;
    this.#channel = new BroadcastChannel(name);
    this.#channel.onmessage = ({ data }: MessageEvent<FrameMessage>) => {
      if ('key' in data) {
        if (typeof data.key !== 'string' || this.#refused.has(data.key) || data.key === this.#key) return;
        this.#keep(data.key);
        onKey(data.key);
      } else if (this.#key !== undefined) this.#channel!.postMessage({ key: this.#key });
    };
  }

  /** One that was got before. */
  get known(): string | undefined {
    return this.#key;
  }

  /** Asks the other frames of the page for theirs. */
  want(): void {
    this.#channel?.postMessage({ wanted: true });
  }

  /** Takes a key that the reader just got, and hands it to the other frames of the page. */
  take(key: string): void {
    this.#keep(key);
    this.#channel?.postMessage({ key });
  }

  /** The service does not take it any more. */
  drop(key: string): void {
    this.#refused.add(key);
    if (this.#key !== key) return;
    this.#key = undefined;
    kept((storage) => storage.removeItem(name));
  }

  close(): void {
    this.#channel?.close();
  }

  #keep(key: string): void {
    this.#key = key;
    kept((storage) => storage.setItem(name, key));
  }
}
