import { SignJWT, exportJWK } from 'jose';
import { keys, store } from '../storage/store.ts';
import { serviceNow, setClock } from './clock.ts';

interface Tokens {
  readonly access_token: string;
  readonly refresh_token: string;
  /** When it has to be renewed, by the service's clock. */
  readonly until: number;
}

/** The service says no: with its own code, or that of RFC 6749. */
export class Refused extends Error {
  override readonly name = 'Refused';
  constructor(
    readonly code: string,
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

const { service = location.origin } = document.getElementById('app')!.dataset;
const tokensName = 'tokens';
/** Nobody waits longer for an answer, or for a piece of a file. */
const answerMs = 60_000;
const pieceMs = 300_000;
const base64url = (bytes: ArrayBuffer) =>
  btoa(String.fromCharCode(...new Uint8Array(bytes)))
    .replaceAll('+', '-')
    .replaceAll('/', '_')
    .replace(/=+$/, '');

/** A proof that this device holds its key. @see RFC 9449, section 4.2 */
async function proof(method: string, path: string, token?: string): Promise<string> {
  const { device } = await keys();
  const { kty, crv, x, y } = await exportJWK(device.publicKey);
  const hash = token && (await crypto.subtle.digest('SHA-256', new TextEncoder().encode(token)));
  return new SignJWT({
    htm: method,
    htu: `${service}${path}`,
    jti: crypto.randomUUID(),
    iat: Math.floor(serviceNow() / 1000),
    ...(hash ? { ath: base64url(hash) } : {}),
  })
    .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk: { kty, crv, x, y } as never })
    .sign(device.privateKey);
}

/** What the service answers says its time, to the second. */
function hearTime(answer: Response): void {
  const date = Date.parse(answer.headers.get('Date') ?? '');
  if (Number.isFinite(date) && Math.abs(date - serviceNow()) > 30_000) setClock(date);
}

async function refusalIn(answer: Response): Promise<Refused> {
  const body = (await answer.json().catch(() => ({}))) as { error?: string; code?: string; detail?: string };
  return new Refused(body.code ?? body.error ?? 'UNKNOWN', answer.status, body.detail ?? `answered ${answer.status}`);
}

/** Sets the clock before the first proof: one by a wrong clock is none. */
export async function askTime(): Promise<void> {
  hearTime(await fetch('/health/live', { cache: 'no-store', signal: AbortSignal.timeout(answerMs) }));
}

/** Asks an OAuth endpoint. @throws {Refused} */
export async function askOauth<T>(path: string, form: Readonly<Record<string, string>>, isProven: boolean): Promise<T> {
  const answer = await fetch(path, {
    method: 'POST',
    body: new URLSearchParams({ client_id: 'screen', ...form }),
    headers: isProven ? { DPoP: await proof('POST', path) } : {},
    // Whoever renews the key keeps all others waiting.
    signal: AbortSignal.timeout(answerMs),
  });
  hearTime(answer);
  if (!answer.ok) throw await refusalIn(answer);
  return (await answer.json()) as T;
}

interface TokenAnswer {
  readonly access_token: string;
  readonly refresh_token: string;
  readonly expires_in: number;
}

/** What was got last: where there is no room to keep it, it counts for as long as this page stands. */
let newest: Tokens | undefined;

/** Keeps a key before it is used: whatever happens from here on, the next start has it. */
export async function keepTokens({ access_token, refresh_token, expires_in }: TokenAnswer): Promise<void> {
  const until = serviceNow() + (expires_in - 60) * 1000;
  newest = { access_token, refresh_token, until };
  await store.put(tokensName, newest);
}

export const hasTokens = async (): Promise<boolean> => (await store.get(tokensName)) !== undefined;

/** An access token that counts, renewed where its time is up; one at a time. */
async function accessToken(isSpent = false): Promise<string> {
  return navigator.locks.request('underbell screen key', async () => {
    const held = await store.get<Tokens>(tokensName);
    if (!held) throw new Refused('SCREEN_UNPAIRED', 401, 'not paired');
    const known = newest && newest.until > held.until ? newest : held;
    if (!isSpent && serviceNow() < known.until) return known.access_token;
    // By what is kept, and not by what is newest: the next start would have nothing else, and that has to count then.
    const form = { grant_type: 'refresh_token', refresh_token: held.refresh_token };
    const answer = await askOauth<TokenAnswer>('/oauth/token', form, true);
    await keepTokens(answer);
    return answer.access_token;
  });
}

/**
 * Asks the service as this screen.
 *
 * @throws {Refused} with `SCREEN_UNPAIRED` where its key counts no more; `TypeError` without a network
 */
export async function ask(
  path: string,
  options: {
    readonly method?: string;
    readonly body?: unknown;
    readonly picture?: Blob;
    readonly tag?: string;
    readonly range?: string;
    readonly signal?: AbortSignal;
  } = {},
): Promise<Response> {
  const { method = 'GET', body, picture, tag, range, signal } = options;
  const once = async (isSpent: boolean) => {
    const token = await accessToken(isSpent);
    const answer = await fetch(path, {
      method,
      cache: 'no-store',
      headers: {
        Authorization: `DPoP ${token}`,
        DPoP: await proof(method, path, token),
        ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
        ...(picture ? { 'Content-Type': picture.type } : {}),
        ...(tag === undefined ? {} : { 'If-None-Match': tag }),
        ...(range === undefined ? {} : { Range: range }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...(picture ? { body: picture } : {}),
      signal: signal ?? AbortSignal.timeout(range === undefined ? answerMs : pieceMs),
    });
    hearTime(answer);
    return answer;
  };
  let answer = await once(false);
  if (answer.status === 401) {
    const refused = await refusalIn(answer.clone());
    // By a clock that was wrong, or an hour later: once more, with what is new by now.
    if (refused.code !== 'SCREEN_UNPAIRED') answer = await once(refused.code === 'TOKEN_EXPIRED');
  }
  if (answer.ok || answer.status === 304) return answer;
  const refused = await refusalIn(answer);
  // A key that cannot be renewed is none.
  throw refused;
}
