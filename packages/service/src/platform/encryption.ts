import {
  createCipheriv,
  createDecipheriv,
  createHash,
  createHmac,
  hkdfSync,
  randomBytes,
  scrypt,
  timingSafeEqual,
} from 'node:crypto';

/** Seals texts under the installation's secret (AES-256-GCM, a key of its own per purpose). */
export class Vault {
  readonly #secret: string;

  constructor(secret: string) {
    this.#secret = secret;
  }

  #key(purpose: string): Buffer {
    return Buffer.from(hkdfSync('sha256', this.#secret, '', purpose, 32));
  }

  /** Signs a text: who does not hold the secret cannot make it. */
  sign(text: string, purpose: string): string {
    return createHmac('sha256', this.#key(purpose)).update(text).digest('base64url');
  }

  seal(text: string, purpose: string): string {
    const nonce = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', this.#key(purpose), nonce);
    const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
    return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64');
  }

  /** @throws {Error} when the text was sealed under another secret or changed since */
  open(sealed: string, purpose: string): string {
    const bytes = Buffer.from(sealed, 'base64');
    const decipher = createDecipheriv('aes-256-gcm', this.#key(purpose), bytes.subarray(0, 12));
    decipher.setAuthTag(bytes.subarray(12, 28));
    return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8');
  }
}

/** The fingerprint under which a random key is stored; the key itself is never. */
export function fingerprint(key: string): string {
  return createHash('sha256').update(key).digest('base64url');
}

/** A new random key with a readable prefix that says what it is. */
export function randomKey(prefix: string): string {
  return `${prefix}_${randomBytes(32).toString('base64url')}`;
}

const scryptCost = { N: 16_384, r: 8, p: 1, maxmem: 64 * 1024 * 1024 };

function derive(password: string, salt: Buffer): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    scrypt(password.normalize('NFKC'), salt, 32, scryptCost, (error, key) => (error ? reject(error) : resolve(key)));
  });
}

export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`;
}

/** Takes as long for an unknown person as for a wrong password. */
export async function isPassword(password: string, stored: string | null): Promise<boolean> {
  const [, salt, expected] = (stored ?? 'scrypt$AAAAAAAAAAAAAAAAAAAAAA==$AAAA').split('$');
  const key = await derive(password, Buffer.from(salt!, 'base64'));
  const wanted = Buffer.from(expected!, 'base64');
  return stored !== null && wanted.length === key.length && timingSafeEqual(wanted, key);
}

/** Compares secrets without telling by time where they differ. */
export function isSameSecret(given: string, stored: string): boolean {
  const digest = (text: string) => createHash('sha256').update(text).digest();
  return timingSafeEqual(digest(given), digest(stored));
}
