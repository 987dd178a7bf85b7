import { randomUUID } from 'node:crypto';
import type { Context } from 'koa';
import { Transaction } from 'sequelize';
import { Refusal } from '@underbell/core/refusal';
import { signAccessToken, verifyAccessToken, type AccessTokenClaims } from '@underbell/core/token';
import { fingerprint, plain, type App, type KeyAsked } from '../platform/index.ts';
import { proofOf, signingKeys } from '../token/index.ts';
import { unpairIfKeyReused, familyIn, keyOfFamily, newFamily } from './unpair.ts';
import { screenKeys, screenPairings, type KeyRow, type ScreenRow } from './models.ts';
import { noteHistory, screenOfKey } from './store.ts';

/** The only program that screens run, known to all (RFC 6749, section 2.1: a public client). */
export const screenClient = 'screen';
const lifetimeSeconds = 600;
/** How often a device may ask whether somebody has typed its code; RFC 8628, section 3.2. */
export const pollSeconds = 5;

interface ScreenPlay {
  readonly type: 'screen_play';
  /** Of the pairing. */
  readonly key: string;
}

const audienceOf = (app: App) => `${app.settings.publicUrl}/api/v1/screen/schedule`;

export const closed = () =>
  new Refusal('SCREEN_UNPAIRED', 'This screen is no longer paired.', { hint: 'Pair it again to show content.' });

/** An access token for a screen, with what renews it. */
async function tokensFor(app: App, keyId: string, thumbprint: string, refresh: string): Promise<object> {
  const iat = Math.floor(app.now() / 1000);
  const details: ScreenPlay = { type: 'screen_play', key: keyId };
  const claims: AccessTokenClaims<ScreenPlay> = {
    iss: app.settings.publicUrl,
    aud: audienceOf(app),
    sub: screenClient,
    client_id: screenClient,
    jti: randomUUID(),
    iat,
    exp: iat + lifetimeSeconds,
    scope: 'play',
    authorization_details: [details],
    cnf: { jkt: thumbprint },
  };
  const { signing } = await signingKeys(app);
  return {
    access_token: await signAccessToken(claims, signing),
    token_type: 'DPoP',
    expires_in: lifetimeSeconds,
    refresh_token: refresh,
    scope: 'play',
    authorization_details: [details],
  };
}

function checkAsked({ form, keyThumbprint }: KeyAsked): string {
  if (form['client_id'] !== screenClient)
    throw new Refusal('CLIENT_INVALID', `Screens use the client ID “${screenClient}”.`, { pointer: 'client_id' });
  if (keyThumbprint === undefined)
    throw new Refusal('PROOF_INVALID', 'A screen must prove possession of its key.', {
      hint: 'Send a DPoP header with the request.',
    });
  return keyThumbprint;
}

/** A key as its device holds it. */
interface HeldKey {
  readonly keyId: string;
  /** What renews it, and for a screen of pictures all that it has. */
  readonly refresh: string;
}

/**
 * The first key of a device that somebody has taken in, once.
 *
 * @param thumbprint - of the device's own key, or what stands for a device that has none
 * @throws {Refusal} `PAIRING_PENDING`, `PAIRING_SLOWER`, `PAIRING_REFUSED`, `PAIRING_EXPIRED`
 * @see RFC 8628, section 3.4
 */
export async function takeFirstKey(app: App, deviceCode: string, thumbprint: string): Promise<HeldKey> {
  const deviceFingerprint = fingerprint(deviceCode);
  const family = newFamily();
  const refresh = keyOfFamily(family);
  const keyId = randomUUID();
  const outcome = await app.records.transaction(async (): Promise<Refusal | undefined> => {
    const row = await screenPairings(app).findByPk(deviceFingerprint, { lock: Transaction.LOCK.UPDATE });
    const now = app.now();
    const found = row && plain(row);
    if (!found || found.state === 'spent' || found.expiresAt.getTime() <= now)
      return new Refusal('PAIRING_EXPIRED', 'The pairing code has expired or was used.', {
        hint: 'Request another one.',
      });
    if (found.state === 'refused') return new Refusal('PAIRING_REFUSED', 'This screen was rejected.');
    if (found.state === 'waiting') {
      const isSoon = found.polledAt !== null && now - found.polledAt.getTime() < (pollSeconds - 1) * 1000;
      await row.update({ polledAt: new Date(now) });
      return isSoon
        ? new Refusal('PAIRING_SLOWER', `Poll every ${pollSeconds} seconds.`)
        : new Refusal('PAIRING_PENDING', 'The pairing code was not entered yet.');
    }
    await row.update({ state: 'spent' });
    await screenKeys(app).upsert({
      screenName: found.screenName!,
      keyId,
      thumbprint,
      refreshFingerprint: fingerprint(refresh),
      formerFingerprint: null,
      familyFingerprint: fingerprint(family),
      renewedAt: new Date(now),
    });
    await noteHistory(app, found.screenName!, 'took its key', found.device.browser ?? '');
    return undefined;
  });
  // What was noted of the question stays, whatever the answer is.
  if (outcome) throw outcome;
  return { keyId, refresh };
}

/** @throws {Refusal} as for `takeFirstKey` */
export async function giveFirstKey(app: App, asked: KeyAsked): Promise<object> {
  const thumbprint = checkAsked(asked);
  const { keyId, refresh } = await takeFirstKey(app, asked.form['device_code'] ?? '', thumbprint);
  return tokensFor(app, keyId, thumbprint, refresh);
}

/**
 * Renews a key. The one before holds until the new one was used: a device whose power went meanwhile never got it.
 *
 * @param isDue - looked at under the lock: of two that come together one renews
 * @returns undefined where it is not due
 * @throws {Refusal} `SCREEN_UNPAIRED`, also for a key that counted once: its screen is ended; `PROOF_INVALID` for another device
 */
export async function renewHeld(
  app: App,
  held: string,
  thumbprint: string,
  isDue: (key: KeyRow) => boolean,
): Promise<HeldKey | undefined> {
  const given = fingerprint(held);
  const family = familyIn(held) ?? newFamily();
  const refresh = keyOfFamily(family);
  const key = await app.records.transaction(async () => {
    const row = await keyRow(app, given, true);
    if (!row) return undefined;
    const found = plain(row);
    if (found.thumbprint !== thumbprint)
      throw new Refusal('PROOF_INVALID', 'Another device has the key of this screen.');
    const isRenewed = isDue(found);
    if (isRenewed)
      await row.update({
        refreshFingerprint: fingerprint(refresh),
        formerFingerprint: given,
        familyFingerprint: fingerprint(family),
        renewedAt: new Date(app.now()),
      });
    return { ...found, isRenewed };
  });
  if (key) return key.isRenewed ? { keyId: key.keyId, refresh } : undefined;
  await unpairIfKeyReused(app, held, thumbprint);
  throw closed();
}

/** The key that a fingerprint is of: the one that counts, or the one before. */
async function keyRow(app: App, given: string, isLocked: boolean) {
  const lock = isLocked ? { lock: Transaction.LOCK.UPDATE } : {};
  const current = await screenKeys(app).findOne({ where: { refreshFingerprint: given }, ...lock });
  return current ?? screenKeys(app).findOne({ where: { formerFingerprint: given }, ...lock });
}

/**
 * The screen of a key that is held as it is.
 *
 * @throws {Refusal} `SCREEN_UNPAIRED`, also for a key that counted once: its screen is ended; `PROOF_INVALID` for another device
 */
export async function screenHolding(
  app: App,
  held: string,
  thumbprint: string,
): Promise<{ screen: ScreenRow; key: KeyRow }> {
  const row = await keyRow(app, fingerprint(held), false);
  const key = row && plain(row);
  if (key && key.thumbprint !== thumbprint)
    throw new Refusal('PROOF_INVALID', 'Another device has the key of this screen.');
  const found = key && (await screenOfKey(app, key.keyId));
  if (found) return found;
  await unpairIfKeyReused(app, held, thumbprint);
  throw closed();
}

/**
 * Renews the key of a screen that proves it.
 *
 * @throws {Refusal} `SCREEN_UNPAIRED`, `PROOF_INVALID` for another device
 * @see RFC 9449, section 5; RFC 9700, section 4.14
 */
export async function renewKey(app: App, asked: KeyAsked): Promise<object> {
  const thumbprint = checkAsked(asked);
  const { keyId, refresh } = (await renewHeld(app, asked.form['refresh_token'] ?? '', thumbprint, () => true))!;
  return tokensFor(app, keyId, thumbprint, refresh);
}

/** What an access token of a screen says, its signature and times looked at. @throws {Refusal} `TOKEN_INVALID`, `TOKEN_EXPIRED` */
export async function readScreenToken(app: App, token: string): Promise<{ keyId: string; thumbprint: string }> {
  const { find } = await signingKeys(app);
  const claims = await verifyAccessToken<ScreenPlay>(token, {
    findKey: find,
    issuer: app.settings.publicUrl,
    audience: audienceOf(app),
    now: app.now(),
  });
  return { keyId: claims.authorization_details[0].key, thumbprint: claims.cnf!.jkt };
}

export function tokenIn(ctx: Context): string {
  const token = /^DPoP (.+)$/.exec(ctx.get('Authorization'))?.[1];
  if (token !== undefined) return token;
  throw new Refusal('TOKEN_INVALID', 'A screen sends its access token with a DPoP proof.');
}

/**
 * The screen that asks, if its key still counts, by what is written down now.
 *
 * @throws {Refusal} `TOKEN_INVALID`, `TOKEN_EXPIRED`, `PROOF_INVALID`, `SCREEN_UNPAIRED`
 */
export async function askingScreen(app: App, ctx: Context): Promise<{ screen: ScreenRow; key: KeyRow }> {
  const token = tokenIn(ctx);
  const { keyId, thumbprint } = await readScreenToken(app, token);
  if ((await proofOf(app, ctx, token)) !== thumbprint)
    throw new Refusal('PROOF_INVALID', 'The DPoP proof is missing or uses another key.');
  const found = await screenOfKey(app, keyId);
  if (!found || found.key.thumbprint !== thumbprint) throw closed();
  return found;
}
