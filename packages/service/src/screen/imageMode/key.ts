import type { Context } from 'koa';
import { isRefusal } from '@underbell/core/refusal';
import { fingerprint, one, type App } from '../../platform/index.ts';
import { renewHeld, screenHolding, takeFirstKey } from '../keys.ts';
import { screenPairings, type KeyRow, type ScreenRow } from '../models.ts';
import { askToPair } from '../pairing.ts';

/** What stands where another device's own key would: a device without scripts has none, and only holds what it was given. */
export const pictureThumbprint = 'picture';

const cookie = 'underbell_screen';
const yearMs = 365 * 86_400_000;
const renewMs = 3_600_000;
const lostMs = 60_000;

function hold(app: App, ctx: Context, what: 'device' | 'key', value: string): void {
  ctx.cookies.set(cookie, `${what}.${value}`, {
    httpOnly: true,
    sameSite: 'strict',
    secure: app.settings.publicUrl.startsWith('https:'),
    path: '/screen/picture',
    expires: new Date(app.now() + yearMs),
    overwrite: true,
  });
}

export const clearKeyCookie = (ctx: Context): void => void ctx.cookies.set(cookie, null, { path: '/screen/picture' });

function held(ctx: Context, what: 'device' | 'key'): string | undefined {
  const value = ctx.cookies.get(cookie) ?? '';
  return value.startsWith(`${what}.`) ? value.slice(what.length + 1) : undefined;
}

/** The screen that asks for a picture, by what its device holds. @throws {Refusal} `SCREEN_UNPAIRED` */
export const pictureScreen = (app: App, ctx: Context): Promise<PlayingPicture> =>
  screenHolding(app, held(ctx, 'key') ?? '', pictureThumbprint);

/** A device that shows its code, for somebody to type. */
export interface WaitingPicture {
  readonly code: string;
  /** Where it is typed. */
  readonly address: string;
  readonly deviceFingerprint: string;
}
/** A device that has been taken in. */
export interface PlayingPicture {
  readonly screen: ScreenRow;
  readonly key: KeyRow;
}
export type PictureDevice = WaitingPicture | PlayingPicture;

async function askForCode(app: App, ctx: Context): Promise<PictureDevice> {
  const browser = ctx.get('User-Agent').slice(0, 200) || 'a browser without scripts';
  const asked = (await askToPair(app, 'screen', { address: ctx.ip, browser, isPicture: true })) as {
    device_code: string;
    user_code: string;
    verification_uri_complete: string;
  };
  hold(app, ctx, 'device', asked.device_code);
  const { device_code, user_code, verification_uri_complete } = asked;
  return { code: user_code, address: verification_uri_complete, deviceFingerprint: fingerprint(device_code) };
}

/** The same code again while somebody may still type it; the key once somebody has. */
async function stillWaiting(app: App, ctx: Context, deviceCode: string): Promise<PictureDevice | undefined> {
  try {
    const { refresh } = await takeFirstKey(app, deviceCode, pictureThumbprint);
    hold(app, ctx, 'key', refresh);
    return await screenHolding(app, refresh, pictureThumbprint);
  } catch (error) {
    if (!isRefusal(error)) throw error;
    if (error.code !== 'PAIRING_PENDING' && error.code !== 'PAIRING_SLOWER') return undefined;
    const deviceFingerprint = fingerprint(deviceCode);
    const found = await one(screenPairings(app).findByPk(deviceFingerprint));
    if (!found) return undefined;
    const { userCode: code } = found;
    return { code, deviceFingerprint, address: `${app.settings.publicUrl}/console/pair?code=${code}` };
  }
}

/**
 * Who asks for the page: a screen, whose key is renewed every hour, or a device with a code for somebody to type.
 *
 * @throws {Refusal} `SCREEN_UNPAIRED`, `RATE_LIMITED`
 */
export async function pictureDevice(app: App, ctx: Context): Promise<PictureDevice> {
  const key = held(ctx, 'key');
  if (key !== undefined) {
    const found = await screenHolding(app, key, pictureThumbprint);
    // One that the device never got is given anew, though not at once: two pages that come together would each take from the
    // other what it was just given.
    const isDue = ({ refreshFingerprint, renewedAt }: KeyRow) =>
      app.now() - renewedAt.getTime() > (refreshFingerprint === fingerprint(key) ? renewMs : lostMs);
    const renewed = isDue(found.key) ? await renewHeld(app, key, pictureThumbprint, isDue) : undefined;
    if (renewed) hold(app, ctx, 'key', renewed.refresh);
    return found;
  }
  const device = held(ctx, 'device');
  return (device && (await stillWaiting(app, ctx, device))) || askForCode(app, ctx);
}
