/** What the viewer needs of a browser, as far as no page is drawn. */
export interface FakeWindow {
  /** Messages that the page around was sent, with the origin that may read them. */
  readonly told: { readonly message: Record<string, unknown>; readonly origin: string }[];
  /** Something that a window says to ours; from the page around unless another is given. */
  hear(data: unknown, from: { readonly origin: string; readonly source?: unknown }): void;
  /** Fires an event of the window. */
  fire(type: string): void;
  /** Addresses that were written without going anywhere. */
  readonly addresses: string[];
  readonly sheet: { textContent: string };
  readonly parent: object;
}

/** Puts a browser's globals in place; the modules that look at them are imported afterwards. */
export function openWindow(
  options: {
    readonly isFramed?: boolean;
    readonly address?: string;
    /** An answer that came with the page. */
    readonly ahead?: { readonly path: string; readonly text: string };
  } = {},
): FakeWindow {
  const told: FakeWindow['told'] = [];
  const listeners = new Map<string, ((event: unknown) => void)[]>();
  const parent = {
    postMessage: (message: Record<string, unknown>, origin: string) => void told.push({ message, origin }),
  };
  const sheet = { textContent: '' };
  const addresses: string[] = [];
  const own = {
    innerHeight: 800,
    location: new URL(options.address ?? 'http://viewer.example/v/quays'),
    addEventListener: (type: string, listener: (event: unknown) => void) =>
      void listeners.set(type, [...(listeners.get(type) ?? []), listener]),
    removeEventListener: () => undefined,
    history: { replaceState: (_state: unknown, _title: string, address: string) => void addresses.push(address) },
    matchMedia: () => ({ matches: false, addEventListener: () => undefined }),
    // Looked up when they are called: tests put a clock of their own in place.
    setTimeout: (...all: Parameters<typeof setTimeout>) => globalThis.setTimeout(...all),
    clearTimeout: (...all: Parameters<typeof clearTimeout>) => globalThis.clearTimeout(...all),
    setInterval: (...all: Parameters<typeof setInterval>) => globalThis.setInterval(...all),
    clearInterval: (...all: Parameters<typeof clearInterval>) => globalThis.clearInterval(...all),
  };
  const window = { ...own, parent: options.isFramed === false ? undefined : parent } as Record<string, unknown>;
  if (options.isFramed === false) window['parent'] = window;
  const { ahead } = options;
  const sent = ahead ? { dataset: { path: ahead.path }, textContent: ahead.text } : null;
  const document = {
    getElementById: () => sent,
    hidden: false,
    createElement: () => sheet,
    head: { append: () => undefined },
  };
  Object.assign(globalThis, { window, document });
  return {
    told,
    sheet,
    addresses,
    parent,
    hear: (data, { origin, source = parent }) => {
      for (const listener of listeners.get('message') ?? []) listener({ data, origin, source });
    },
    fire: (type) => {
      for (const listener of listeners.get(type) ?? []) listener({ type });
    },
  };
}
