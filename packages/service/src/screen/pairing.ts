import { randomBytes } from 'node:crypto';
import { Op, Transaction } from 'sequelize';
import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import {
  checkScreenValues,
  readUserCode,
  userCode,
  type Device,
  type ScreenValues,
  type ShownScreen,
  type WaitingDevice,
} from '@underbell/core/screen';
import { putOwner, rightOn, rightsOn } from '../access/index.ts';
import {
  announce,
  countAttempt,
  fingerprint,
  holdName,
  limitGuesses,
  one,
  plain,
  randomKey,
  remember,
  thingNames,
  type App,
} from '../platform/index.ts';
import { checkScreenFits } from './check.ts';
import { declaredAttributes, requireGroup } from './groups.ts';
import { pollSeconds, screenClient } from './keys.ts';
import { screenKeys, screenPairings, screens, type PairingRow, type ScreenRow } from './models.ts';
import { checkLanguage, checkZone } from './check.ts';
import { showScreen } from './screens.ts';
import { findScreen, noteHistory } from './store.ts';

/** How long a code may be typed. */
const codeSeconds = 900;

/**
 * A code for a device that wants to be a screen.
 *
 * @see RFC 8628, section 3.2
 */
export async function askToPair(
  app: App,
  client: string | undefined,
  device: Device & { readonly address: string },
): Promise<object> {
  if (client !== screenClient)
    throw new Refusal('CLIENT_INVALID', `Screens use the client ID “${screenClient}”.`, { pointer: 'client_id' });
  await countAttempt(app, 'screen code', device.address);
  const now = app.now();
  await screenPairings(app).destroy({ where: { expiresAt: { [Op.lt]: new Date(now) } } as never });
  const deviceCode = randomKey('ubd');
  const code = userCode(randomBytes(64));
  await screenPairings(app).create({
    deviceFingerprint: fingerprint(deviceCode),
    userCode: code,
    device,
    state: 'waiting',
    screenName: null,
    askedAt: new Date(now),
    polledAt: null,
    expiresAt: new Date(now + codeSeconds * 1000),
  });
  const address = `${app.settings.publicUrl}/console/pair`;
  return {
    device_code: deviceCode,
    user_code: code,
    verification_uri: address,
    verification_uri_complete: `${address}?code=${code}`,
    expires_in: codeSeconds,
    interval: pollSeconds,
  };
}

const noCode = (text: string) =>
  new Refusal('NOT_FOUND', `No screen shows the pairing code “${text.slice(0, 20)}”.`, {
    pointer: 'code',
    hint: 'A code is valid for 15 minutes; then the screen shows the next one.',
  });

/** Whether somebody looks after some group of screens, or may make one. */
async function keepsScreens(app: App, person: PersonViewer): Promise<boolean> {
  const decide = await rightsOn(app, 'screen-group');
  const names = await thingNames(app, 'screen-group');
  return [...names, '*'].some((name) => isAtLeast(decide(person, name), 'edit'));
}

/** The device that shows a code; guesses are counted. @throws {Refusal} `NOT_FOUND`, `RATE_LIMITED` */
async function waiting(app: App, person: PersonViewer, text: string): Promise<PairingRow> {
  return limitGuesses(app, 'screen code typed', person.id, async () => {
    // To everybody else no code is one: what waits is no more theirs to see than to refuse.
    if (!(await keepsScreens(app, person))) throw noCode(text);
    const code = readUserCode(text);
    const found = code && (await one(screenPairings(app).findOne({ where: { userCode: code, state: 'waiting' } })));
    if (!found || found.expiresAt.getTime() <= app.now()) throw noCode(text);
    return found;
  });
}

/** What waits behind a code, for whoever looks after some group of screens. */
export async function lookAtCode(app: App, person: PersonViewer, text: string): Promise<WaitingDevice<Date>> {
  const { userCode: code, device, askedAt, expiresAt } = await waiting(app, person, text);
  return { code, device, askedAt, expiresAt };
}

/** Whether a screen has its key, or a device that was taken in for it may still ask for one. */
async function isTaken(app: App, screenName: string): Promise<boolean> {
  if ((await screenKeys(app).count({ where: { screenName } })) > 0) return true;
  const where = { screenName, state: 'approved', expiresAt: { [Op.gt]: new Date(app.now()) } };
  return (await screenPairings(app).count({ where: where as never })) > 0;
}

/** How somebody takes a device in. */
export interface PairingWish {
  readonly name: string;
  readonly title: string;
  readonly group: string;
  readonly attributes: ScreenValues;
  readonly timeZone: string;
  readonly language: string;
}

/**
 * Takes a device in as a screen: a new one, or one that was closed and hangs there again.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `SCREEN_INVALID`, `PLAYLIST_MISFIT`, `IN_USE` for a screen that is not closed
 */
export async function pairScreen(
  app: App,
  person: PersonViewer,
  text: string,
  wish: PairingWish,
  origin: string,
): Promise<ShownScreen<Date>> {
  await requireGroup(app, person, wish.group, 'edit');
  checkZone(wish.timeZone);
  checkLanguage(wish.language);
  checkScreenValues(await declaredAttributes(app), wish.attributes);
  const { deviceFingerprint, device } = await waiting(app, person, text);
  const thing = { kind: 'screen', name: wish.name } as const;
  const known = await findScreen(app, wish.name);
  // A screen of another group is not taken over by whoever may not look after that one.
  if (known && !isAtLeast(await rightOn(app, person, 'screen-group', known.groupName), 'edit'))
    throw new Refusal('NAME_TAKEN', `A screen named “${wish.name}” already exists.`, {
      pointer: '/name',
      word: wish.name,
      hint: 'Use another name.',
    });
  const { group, ...rest } = wish;
  const screen: ScreenRow = {
    ...rest,
    groupName: group,
    pairedBy: person.email,
    pairedAt: new Date(app.now()),
    endedBy: null,
    endedAt: null,
    asked: device,
  };
  await checkScreenFits(app, screen);
  await app.records.transaction(async () => {
    await holdName(app, thing, known !== undefined);
    await holdName(app, { kind: 'screen-group', name: wish.group }, true);
    const row = await screenPairings(app).findByPk(deviceFingerprint, { lock: Transaction.LOCK.UPDATE });
    const found = row && plain(row);
    if (!found || found.state !== 'waiting') throw noCode(text);
    if (known && (await isTaken(app, wish.name)))
      throw new Refusal('IN_USE', `A screen named “${wish.name}” is already paired.`, {
        pointer: '/name',
        word: wish.name,
        hint: 'Unpair it first, or use another name.',
      });
    await screens(app).upsert(screen);
    if (!known) await putOwner(app, person, thing);
    await row.update({ state: 'approved', screenName: wish.name });
    await noteHistory(app, wish.name, 'paired', `by ${person.email}`);
    await remember(app, {
      who: person.email,
      what: 'screen paired',
      thing: `screen ${wish.name}`,
      origin,
      after: wish,
    });
    await announce(app, thing);
  });
  return showScreen(app, person, wish.name);
}

/** Refuses a device; it is told so. @throws {Refusal} `NOT_FOUND` */
export async function refuseDevice(app: App, person: PersonViewer, text: string): Promise<void> {
  const { deviceFingerprint } = await waiting(app, person, text);
  await screenPairings(app).update({ state: 'refused' }, { where: { deviceFingerprint, state: 'waiting' } });
}
