import {
  guestLevel,
  isAtLeast,
  type Grant,
  type GrantHolder,
  type PersonViewer,
  type Thing,
  thingKinds,
  type ThingKind,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { emit, lockResource, remember, type App } from '../platform/index.ts';
import { foldersOf, listGrants, putGrant, removeGrant, type StoredGrant } from './grantStore.ts';
import { notFound, requireAdministrator, requirePassOn, requireRight, rightOn } from './rights.ts';
import { requireHolder } from './principals.ts';
import { findPersonRow } from './store.ts';

/** Guests and programs look and take away; neither edits, owns or passes on. @throws {Refusal} `NOT_ALLOWED` */
async function refuseTooMuch(app: App, { holder, level, canPassOn }: Grant): Promise<void> {
  if (holder.kind === 'group' || holder.kind === 'everyone') return;
  const isScreen = holder.kind === 'screen' || holder.kind === 'screen-group';
  if (isAtLeast({ level: isScreen ? 'view' : guestLevel }, level) && canPassOn !== true) return;
  if (holder.kind === 'person') {
    const row = await findPersonRow(app, { email: holder.name });
    if (row?.organisation === null && row.state !== 'guest') return;
  }
  const who = isScreen ? 'screens view' : `${holder.kind === 'client' ? 'programs' : 'guests'} view and export`;
  throw new Refusal('NOT_ALLOWED', `${who}; this does not include ${canPassOn ? 'sharing' : `“${level}”`}.`, {
    pointer: canPassOn ? '/canPassOn' : '/level',
    word: level,
  });
}

/**
 * Whose own limits apply to what a program or screen reaches by a right: the giver's, unless the giver may edit the data itself and
 * so decides about those limits.
 */
export async function boundOf(
  app: App,
  giver: PersonViewer,
  holder: GrantHolder,
  thing: Pick<Thing, 'kind' | 'name'>,
): Promise<string | null> {
  if (holder.kind === 'person' || holder.kind === 'group' || holder.kind === 'everyone') return null;
  const decides = thing.kind === 'dataset' || thing.kind === 'folder';
  return decides && isAtLeast(await rightOn(app, giver, thing.kind, thing.name), 'edit') ? null : giver.id;
}

/** Gives a right, by somebody who may pass it on. */
export async function giveGrant(app: App, person: PersonViewer, grant: Grant, origin: string): Promise<void> {
  const { thing, holder } = grant;
  await requirePassOn(app, person, grant.level, thing.kind, thing.name);
  await requireHolder(app, holder);
  await refuseTooMuch(app, grant);
  const kept: Grant =
    holder.kind === 'person' ? { ...grant, holder: { ...holder, name: holder.name.toLowerCase() } } : grant;
  const before = (await listGrants(app)).find(
    (one) =>
      one.thing.kind === thing.kind &&
      one.thing.name === thing.name &&
      JSON.stringify(one.holder) === JSON.stringify(kept.holder),
  );
  // Taking away by giving less is for those who may take away.
  if (before && before.level !== grant.level) await requirePassOn(app, person, before.level, thing.kind, thing.name);
  await app.records.transaction(async () => {
    await putGrant(app, kept, {
      givenBy: person.id,
      boundedBy: await boundOf(app, person, holder, thing),
    });
    await remember(app, {
      who: person.email,
      what: 'permission granted',
      thing: `${thing.kind} ${thing.name}`,
      origin,
      before,
      after: kept,
    });
    await emit(app, 'right.changed', { thing });
  });
}

/** The grants on one thing, for those who may give them. */
export async function grantsOn(
  app: App,
  person: PersonViewer,
  kind: ThingKind,
  name: string,
): Promise<readonly StoredGrant[]> {
  await requireRight(app, person, 'edit', kind, name);
  const around = (await foldersOf(app, kind)).get(name) ?? [];
  // Those on all of its kind, and on the folders that it lies in, reach it as well.
  return (await listGrants(app)).filter(
    ({ thing }) =>
      (thing.kind === kind && (thing.name === name || thing.name === '*')) ||
      (thing.kind === 'folder' && (thing.name === '*' || around.includes(thing.name))),
  );
}

/**
 * Takes a right back.
 *
 * @throws {Refusal} `IN_USE` when nobody but administrators would own the thing any more
 */
export async function takeGrant(app: App, person: PersonViewer, id: number, origin: string): Promise<void> {
  const grants = await listGrants(app);
  const before = grants.find((one) => one.id === id);
  if (!before) throw notFound('grant', String(id), []);
  const { thing } = before;
  const right = await rightOn(app, person, thing.kind, thing.name);
  if (right === undefined) throw notFound('grant', String(id), []);
  // Whoever passed a right on may take it back; owners may take back any.
  if (!isAtLeast(right, 'own') && before.givenBy !== person.email) {
    throw new Refusal('NOT_ALLOWED', 'Only owners of the item and the user who granted a permission can revoke it.');
  }
  await app.records.transaction(async () => {
    // Two who take the last two owners' rights at once would otherwise each leave the other's.
    await lockResource(app, thing.kind, thing.name);
    const owners = (await listGrants(app)).filter(
      (one) => one.thing.kind === thing.kind && one.thing.name === thing.name && one.level === 'own',
    );
    if (before.level === 'own' && owners.length === 1 && !person.isAdministrator) {
      throw new Refusal('IN_USE', `You cannot revoke the last owner of ${thing.kind} “${thing.name}”.`, {
        hint: 'Grant “own” to another user first.',
      });
    }
    await removeGrant(app, id);
    const what = `${thing.kind} ${thing.name}`;
    await remember(app, { who: person.email, what: 'permission revoked', thing: what, origin, before });
    await emit(app, 'right.changed', { thing });
  });
}

/**
 * Lets a person make things of every kind, and own those of all: a publisher.
 *
 * @throws {Refusal} `NOT_ALLOWED` for others than administrators, and for guests; `NOT_FOUND`
 */
export async function makePublisher(app: App, by: PersonViewer, email: string, origin: string): Promise<void> {
  requireAdministrator(by);
  const holder = { kind: 'person', name: email.toLowerCase() } as const;
  await app.records.transaction(async () => {
    for (const kind of thingKinds)
      await giveGrant(app, by, { holder, thing: { kind, name: '*' }, level: 'own', canPassOn: false }, origin);
  });
}
