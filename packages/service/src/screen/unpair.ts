import { Transaction } from 'sequelize';
import { announce, emit, fingerprint, lockResource, plain, randomKey, remember, type App } from '../platform/index.ts';
import { screenKeys, screenPairings, screenPictures, screens, type ScreenRow } from './models.ts';
import { findScreen, noteHistory } from './store.ts';

/**
 * Ends the key of a screen, once; within a transaction that has locked it.
 *
 * @returns whether there was something to end
 */
export async function unpairScreen(app: App, name: string, by: string, origin: string): Promise<boolean> {
  // A device that was taken in and has not asked for its key yet gets none; one that just got it loses it.
  await screenPairings(app).update({ state: 'refused' }, { where: { screenName: name, state: 'approved' } });
  const ended = await screenKeys(app).destroy({ where: { screenName: name } });
  await screenPictures(app).destroy({ where: { screenName: name } });
  const [marked] = await screens(app).update(
    { endedBy: by, endedAt: new Date(app.now()) },
    { where: { name, endedAt: null } as never },
  );
  if (ended === 0 && marked === 0) return false;
  await noteHistory(app, name, 'ended', `by ${by}`);
  await remember(app, { who: by, what: 'screen unpaired', thing: `screen ${name}`, origin });
  await announce(app, { kind: 'screen', name });
  return true;
}

const mark = '.';

/** What renews a key: a secret of its own behind one that all keys of the pairing share. */
export const keyOfFamily = (family: string): string => `${family}${mark}${randomKey('k')}`;
export const newFamily = (): string => randomKey('ubr');

/** The part that is shared; keys from before there were families have none. */
export function familyIn(held: string): string | undefined {
  const at = held.indexOf(mark);
  return at < 0 ? undefined : held.slice(0, at);
}

/**
 * Ends a screen for which somebody shows a key that did count and does no more: two devices have it, and nobody can tell
 * which of them hangs there. Nothing happens for a key that never was one.
 *
 * @see RFC 9700, section 4.14.2
 */
export async function unpairIfKeyReused(app: App, held: string, thumbprint: string): Promise<void> {
  const family = familyIn(held);
  if (family === undefined) return;
  const where = { familyFingerprint: fingerprint(family), thumbprint };
  const found = await screenKeys(app).findOne({ where });
  if (!found) return;
  const { screenName } = plain(found);
  await app.records.transaction(async () => {
    await lockResource(app, 'screen', screenName);
    const row = await screenKeys(app).findOne({ where, lock: Transaction.LOCK.UPDATE });
    const given = fingerprint(held);
    const key = row && plain(row);
    // It may have come to count while this waited.
    if (!key || key.refreshFingerprint === given || key.formerFingerprint === given) return;
    const { groupName } = (await findScreen(app, key.screenName)) as ScreenRow;
    if (!(await unpairScreen(app, key.screenName, 'Under Bell', ''))) return;
    await noteHistory(app, key.screenName, 'two devices', 'its key was used by two devices; both are dark');
    await emit(app, 'screen.copied', { group: groupName, screens: [key.screenName] });
  });
}
