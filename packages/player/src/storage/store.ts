import { openDB, type IDBPDatabase } from 'idb';

/** What a screen keeps. Everything but keys is encrypted by a key that no script can read, and that goes with the screen's. */
export interface Store {
  get<T>(name: string): Promise<T | undefined>;
  /** @returns false where there is no room for it */
  put(name: string, value: unknown): Promise<boolean>;
  /** The same for bytes. */
  getBytes(name: string): Promise<ArrayBuffer | undefined>;
  putBytes(name: string, bytes: BufferSource): Promise<boolean>;
  /** Forgets what begins so and is not among these names. */
  keepOnly(prefix: string, names: readonly string[]): Promise<void>;
  bytes(): Promise<number>;
}

interface Keys {
  /** Signs proofs; its private half cannot be taken out of the browser. */
  readonly device: CryptoKeyPair;
  readonly seal: CryptoKey;
}

const database = 'underbell screen';
let opened: Promise<IDBPDatabase> | undefined;
const open = () =>
  (opened ??= openDB(database, 1, {
    upgrade(db) {
      db.createObjectStore('keys');
      db.createObjectStore('kept');
    },
    terminated: () => (opened = undefined),
  }));

/** Set from the moment that everything is deleted until the screen pairs again: requests under way store nothing. */
let isClosed = false;

async function makeKeys(): Promise<Keys> {
  const device = await crypto.subtle.generateKey({ name: 'ECDSA', namedCurve: 'P-256' }, false, ['sign', 'verify']);
  const seal = await crypto.subtle.generateKey({ name: 'AES-GCM', length: 256 }, false, ['encrypt', 'decrypt']);
  return { device, seal };
}

async function findKeys(): Promise<Keys> {
  const db = await open();
  const known = (await db.get('keys', 'own')) as Keys | undefined;
  if (known) return known;
  const made = await makeKeys();
  if (!isClosed) await db.put('keys', made, 'own');
  return made;
}

let held: Promise<Keys> | undefined;

/** The keys of this device, made once. Requests that end after everything was deleted sign with keys that are not stored. */
export const keys = (): Promise<Keys> => (isClosed ? makeKeys() : (held ??= findKeys()));

interface Sealed {
  readonly iv: Uint8Array<ArrayBuffer>;
  readonly bytes: ArrayBuffer;
}

export const store: Store = {
  async getBytes(name) {
    const [db, { seal }] = await Promise.all([open(), keys()]);
    const found = (await db.get('kept', name)) as Sealed | undefined;
    if (!found) return undefined;
    try {
      return await crypto.subtle.decrypt({ name: 'AES-GCM', iv: found.iv }, seal, found.bytes);
    } catch {
      // Half written when the power went, or of another key: it is as good as never kept.
      await db.delete('kept', name);
      return undefined;
    }
  },
  async putBytes(name, plain) {
    if (isClosed) return false;
    const [db, { seal }] = await Promise.all([open(), keys()]);
    const iv = crypto.getRandomValues(new Uint8Array(12));
    const bytes = await crypto.subtle.encrypt({ name: 'AES-GCM', iv }, seal, plain);
    if (isClosed) return false;
    try {
      await db.put('kept', { iv, bytes } satisfies Sealed, name);
      return true;
    } catch (error) {
      // Whatever keeps the disk from taking it, the wall goes on with what it has in hand.
      if (!(error instanceof DOMException)) throw error;
      return false;
    }
  },
  async get<T>(name: string) {
    const bytes = await store.getBytes(name);
    return bytes && (JSON.parse(new TextDecoder().decode(bytes)) as T);
  },
  put: (name, value) => store.putBytes(name, new TextEncoder().encode(JSON.stringify(value))),
  async keepOnly(prefix, names) {
    const db = await open();
    const wanted = new Set(names);
    for (const name of await db.getAllKeys('kept'))
      if (String(name).startsWith(prefix) && !wanted.has(String(name))) await db.delete('kept', name);
  },
  async bytes() {
    const { usage = 0 } = (await navigator.storage?.estimate?.()) ?? {};
    return usage;
  },
};

/** Keeps again, for a screen that is taken in anew. */
export const reopen = (): void => void (isClosed = false);

/** Forgets everything, the keys with it: what was kept cannot be read by anybody any more. */
export async function wipe(): Promise<void> {
  isClosed = true;
  const db = await open();
  await Promise.all([db.clear('kept'), db.clear('keys')]);
  held = undefined;
}
