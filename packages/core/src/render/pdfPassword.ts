import { createCipheriv, createHash, randomBytes } from 'node:crypto';

/** What the library keeps of an encrypted document. */
interface Encrypted {
  readonly _security: {
    readonly encryptionKey: Uint8Array;
    readonly dictionary: { readonly data: Record<string, unknown> };
  };
  readonly _root: { readonly data: Record<string, unknown> };
}

const longestPassword = 127;

/** A password as it is hashed: prepared for comparison (RFC 4013), UTF-8, cut to 127 bytes. */
function prepared(password: string): Buffer {
  const mapped = password
    .replace(/[\u00a0\u1680\u2000-\u200b\u202f\u205f\u3000]/g, ' ')
    .replace(/[\u00ad\u034f\u1806\u180b-\u180d\u200c\u200d\u2060\ufe00-\ufe0f\ufeff]/g, '')
    .normalize('NFKC');
  return Buffer.from(mapped, 'utf8').subarray(0, longestPassword);
}

const digest = (name: 'sha256' | 'sha384' | 'sha512', bytes: Uint8Array) => createHash(name).update(bytes).digest();

function encrypt(bits: 128 | 256, key: Uint8Array, iv: Uint8Array, bytes: Uint8Array): Buffer {
  const cipher = createCipheriv(`aes-${bits}-cbc`, key, iv).setAutoPadding(false);
  return Buffer.concat([cipher.update(bytes), cipher.final()]);
}

/** @see ISO 32000-2, algorithm 2.B */
function hardened(password: Buffer, salt: Buffer, user: Buffer): Buffer {
  let key: Buffer = digest('sha256', Buffer.concat([password, salt, user]));
  for (let round = 1; ; round++) {
    const one = Buffer.concat([password, key, user]);
    const many = Buffer.concat(Array.from({ length: 64 }, () => one));
    const made = encrypt(128, key.subarray(0, 16), key.subarray(16, 32), many);
    const rest = made.subarray(0, 16).reduce((sum, byte) => sum + byte, 0) % 3;
    key = digest((['sha256', 'sha384', 'sha512'] as const)[rest]!, made);
    if (round >= 64 && made.at(-1)! <= round - 32) return key.subarray(0, 32);
  }
}

const noUser = Buffer.alloc(0);
const noVector = Buffer.alloc(16);

/** What a password is checked by, and the document's key under it. */
function entries(password: Buffer, fileKey: Uint8Array, user: Buffer): { check: Buffer; key: Buffer } {
  const [checkSalt, keySalt] = [randomBytes(8), randomBytes(8)];
  const check = Buffer.concat([hardened(password, checkSalt, user), checkSalt, keySalt]);
  return { check, key: encrypt(256, hardened(password, keySalt, user), noVector, fileKey) };
}

/**
 * Puts a document that the library encrypts by revision 5, whose hash a guesser tries fast, under revision 6.
 *
 * @see ISO 32000-2, section 7.6.4
 */
export function hardenPassword(document: object, password: string): void {
  const { _security, _root } = document as Encrypted;
  const { encryptionKey, dictionary } = _security;
  const text = prepared(password);
  const user = entries(text, encryptionKey, noUser);
  // Nobody has the owner’s password: a recipient who had it could take every limit off.
  const owner = entries(randomBytes(32), encryptionKey, user.check);
  Object.assign(dictionary.data, { R: 6, U: user.check, UE: user.key, O: owner.check, OE: owner.key });
  _root.data['Extensions'] = { ADBE: { BaseVersion: '1.7', ExtensionLevel: 8 } };
}
