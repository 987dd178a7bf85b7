import { checkNewPassword } from '@underbell/core/access/password';
import { isAtLeast, type PersonViewer, type RightLevel, type ThingKind } from '@underbell/core/access';
import { parseValue } from '@underbell/core/dataset';
import { Refusal, suggest } from '@underbell/core/refusal';
import {
  enqueue,
  fingerprint,
  hashPassword,
  isPassword,
  limitFailures,
  limitGuesses,
  lockResource,
  randomKey,
  remember,
  type App,
} from '../platform/index.ts';
import { listGroups, type Group } from './groupStore.ts';
import { listGrants, putGrant } from './grantStore.ts';
import { acceptOnce, addInvitation, findInvitation } from './requestStore.ts';
import { notFound, requireAdministrator, requirePassOn } from './rights.ts';
import { addPerson, changePerson, findPersonRow, listAttributes, putAttribute } from './store.ts';
import type { AttributeRow, PersonState } from './models.ts';

const invitationMs = 7 * 24 * 3_600_000;

/**
 * Checks values of attributes by their declared types.
 *
 * @throws {Refusal} `INPUT_INVALID` for an attribute nobody declared, `VALUE_INVALID`
 */
export async function checkAttributes(app: App, values: Readonly<Record<string, readonly string[]>>): Promise<void> {
  checkDeclared(await listAttributes(app), values);
}

function checkDeclared(declared: readonly AttributeRow[], values: Readonly<Record<string, readonly string[]>>): void {
  for (const [name, all] of Object.entries(values)) {
    const attribute = declared.find((one) => one.name === name);
    const pointer = `/attributes/${name}`;
    if (!attribute) {
      const names = declared.map((one) => one.name);
      throw new Refusal('INPUT_INVALID', `There is no user attribute “${name}”.`, {
        pointer,
        word: name,
        ...suggest(name, names),
      });
    }
    if (!attribute.isMany && all.length > 1)
      throw new Refusal('INPUT_INVALID', `User attribute “${name}” takes one value, not ${all.length}.`, {
        pointer,
        word: name,
      });
    for (const value of all) parseValue(value, attribute.type, `${attribute.label}:`);
  }
}

/** Declares an attribute of people. */
export async function saveAttribute(
  app: App,
  by: PersonViewer,
  attribute: AttributeRow,
  origin: string,
): Promise<void> {
  requireAdministrator(by);
  await app.records.transaction(async () => {
    await putAttribute(app, attribute);
    await remember(app, {
      who: by.email,
      what: 'attribute saved',
      thing: `attribute ${attribute.name}`,
      origin,
      after: attribute,
    });
  });
}

export interface Invitation {
  readonly email: string;
  readonly name: string;
  /** The other organisation of a guest; left out for a colleague. */
  readonly organisation?: string;
  readonly groups: readonly string[];
  readonly attributes: Readonly<Record<string, readonly string[]>>;
  readonly rights: readonly { readonly kind: ThingKind; readonly name: string; readonly level: RightLevel }[];
  readonly words: string;
}

/** What an invitation may name. */
export interface InvitationNames {
  readonly groups: readonly Group[];
  readonly attributes: readonly AttributeRow[];
}

export async function invitationNames(app: App): Promise<InvitationNames> {
  const [groups, attributes] = await Promise.all([listGroups(app), listAttributes(app)]);
  return { groups, attributes };
}

/** What whoever invites may give: rights that may be passed on, groups that are owned; all else is for administrators. */
export async function checkInvitation(
  app: App,
  by: PersonViewer,
  invitation: Invitation,
  { groups, attributes }: InvitationNames,
): Promise<void> {
  const isGuest = invitation.organisation !== undefined;
  if (!isGuest || Object.keys(invitation.attributes).length > 0) requireAdministrator(by);
  checkDeclared(attributes, invitation.attributes);
  for (const name of invitation.groups) {
    const group = groups.find((one) => one.name === name);
    if (!group) throw notFound('group', name, by.isAdministrator ? groups.map((one) => one.name) : []);
    if (!by.isAdministrator && !group.owners.includes(by.email))
      throw new Refusal('NOT_ALLOWED', `Only owners of group “${name}” can add members.`, {
        pointer: '/groups',
        word: name,
      });
  }
  for (const { kind, name, level } of invitation.rights) {
    await requirePassOn(app, by, level, kind, name);
    if (isGuest && (level === 'edit' || level === 'own'))
      throw new Refusal('NOT_ALLOWED', 'Guests can have “view” and “export” only.', {
        pointer: '/rights',
        word: level,
      });
  }
  if (isGuest && !by.isAdministrator && invitation.rights.length === 0)
    throw new Refusal('INPUT_INVALID', 'Specify at least one report or group for the guest.', { pointer: '/rights' });
}

async function sendInvitation(
  app: App,
  by: PersonViewer,
  person: { id: string; email: string; name: string },
  words: string,
) {
  const key = randomKey('ubi');
  const expiresAt = new Date(app.now() + invitationMs);
  await addInvitation(app, {
    fingerprint: fingerprint(key),
    personId: person.id,
    invitedBy: by.email,
    createdAt: new Date(app.now()),
    expiresAt,
    acceptedAt: null,
  });
  // The key stands behind the #, which browsers send to no server and write into no log.
  const link = `${app.settings.publicUrl}/console/accept#${key}`;
  const day = new Intl.DateTimeFormat(app.settings.locale, { dateStyle: 'long', timeZone: app.settings.timeZone });
  const text = [
    `${by.name} invited you to view reports at ${new URL(app.settings.publicUrl).host}.`,
    ...(words === '' ? [] : ['', words]),
    '',
    'Choose a password here:',
    link,
    '',
    `The link works once, until ${day.format(expiresAt)}.`,
    '',
  ].join('\n');
  await enqueue(app, 'notice.mail', { to: person.email, subject: `${by.name} invited you to Under Bell`, text });
  return expiresAt;
}

/**
 * Invites a colleague or a guest of another organisation by mail.
 *
 * @returns when the invitation runs out
 * @throws {Refusal} `NAME_TAKEN` for somebody who is here already, `NOT_ALLOWED`
 */
export async function invite(
  app: App,
  by: PersonViewer,
  invitation: Invitation,
  origin: string,
): Promise<{ expiresAt: Date }> {
  await checkInvitation(app, by, invitation, await invitationNames(app));
  return app.records.transaction(async () => {
    await lockInvitations(app);
    return putInvitation(app, by, invitation, origin);
  });
}

/** Two who invite the same person at once do so one after the other. Holds until the transaction ends. */
export const lockInvitations = (app: App): Promise<void> => lockResource(app, 'person', 'invited');

/**
 * Stores and sends an invitation that was checked. Wants a transaction around it.
 *
 * @throws {Refusal} `NAME_TAKEN` for somebody who is here already
 */
export async function putInvitation(
  app: App,
  by: PersonViewer,
  invitation: Invitation,
  origin: string,
): Promise<{ expiresAt: Date }> {
  const known = await findPersonRow(app, { email: invitation.email });
  if (known && known.state !== 'invited')
    throw new Refusal('NAME_TAKEN', `${invitation.email} is a user already.`, {
      pointer: '/email',
      word: invitation.email,
    });
  const id =
    known?.id ??
    (await addPerson(app, {
      email: invitation.email,
      name: invitation.name,
      passwordHash: null,
      state: 'invited',
      groups: invitation.groups,
      attributes: Object.fromEntries(Object.entries(invitation.attributes).map(([name, all]) => [name, [...all]])),
      ...(invitation.organisation ? { organisation: invitation.organisation } : {}),
    }));
  const holder = { kind: 'person' as const, name: invitation.email.toLowerCase() };
  const held =
    invitation.rights.length === 0
      ? []
      : (await listGrants(app)).filter((one) => one.holder.kind === 'person' && one.holder.name === holder.name);
  for (const { kind, name, level } of invitation.rights) {
    // Inviting again never takes away.
    const own = held.find((one) => one.thing.kind === kind && one.thing.name === name);
    if (own === undefined || !isAtLeast(own, level))
      await putGrant(app, { holder, thing: { kind, name }, level }, { givenBy: by.id });
  }
  const { email, name, words } = invitation;
  const expiresAt = await sendInvitation(app, by, { id, email, name }, words);
  const after = { ...invitation, words: undefined };
  await remember(app, { who: by.email, what: 'invited', thing: `person ${email}`, origin, after });
  return { expiresAt };
}

const notValid = () =>
  new Refusal('INVITATION_INVALID', 'The invitation was used, has expired or was replaced by a newer one.', {
    hint: 'Ask the user who invited you for a new one.',
  });

/** Who an invitation is for, for the page that accepts it. */
export async function showInvitation(app: App, key: string, asker: string) {
  return limitFailures(app, 'invitation', asker, async () => {
    const invitation = await findInvitation(app, fingerprint(key));
    const row = invitation && (await findPersonRow(app, { id: invitation.personId }));
    if (!invitation || row?.state !== 'invited') throw notValid();
    return { email: row.email, name: row.name, invitedBy: invitation.invitedBy, expiresAt: invitation.expiresAt };
  });
}

/** Accepts an invitation with a first password. @returns the person, who may now sign in */
export async function acceptInvitation(
  app: App,
  given: { key: string; password: string },
  origin: string,
): Promise<string> {
  await showInvitation(app, given.key, origin);
  const print = fingerprint(given.key);
  const { personId } = (await findInvitation(app, print))!;
  const row = (await findPersonRow(app, { id: personId }))!;
  await checkNewPassword(given.password, [row.name, row.email]);
  const passwordHash = await hashPassword(given.password);
  const state: PersonState = row.organisation === null ? 'active' : 'guest';
  await app.records.transaction(async () => {
    if (!(await acceptOnce(app, print))) throw notValid();
    await changePerson(app, personId, { passwordHash, state });
    await remember(app, {
      who: row.email,
      what: 'invitation accepted',
      thing: `person ${row.email}`,
      origin,
      after: { state },
    });
  });
  return personId;
}

/** Changes what is known of a person; who has left is signed out at once. */
export async function editPerson(
  app: App,
  by: PersonViewer,
  email: string,
  change: {
    name?: string;
    state?: 'active' | 'guest' | 'left';
    attributes?: Record<string, string[]>;
    isAdministrator?: boolean;
  },
  origin: string,
): Promise<void> {
  requireAdministrator(by);
  const before = await findPersonRow(app, { email });
  if (!before) throw notFound('person', email, []);
  if (before.email === by.email && (change.state === 'left' || change.isAdministrator === false))
    throw new Refusal('IN_USE', 'You cannot deactivate yourself or remove your own administrator role.', {
      hint: 'Ask another administrator.',
    });
  if (change.attributes) await checkAttributes(app, change.attributes);
  await app.records.transaction(async () => {
    await changePerson(app, before.id, change);
    const { name, state, attributes, isAdministrator } = before;
    await remember(app, {
      who: by.email,
      what: 'user updated',
      thing: `person ${before.email}`,
      origin,
      before: { name, state, attributes, isAdministrator },
      after: change,
    });
  });
}

/** A person's own new password; every other session of theirs ends. */
export async function changePassword(
  app: App,
  person: PersonViewer,
  given: { current: string; password: string },
  origin: string,
): Promise<void> {
  await limitGuesses(app, 'password', person.id, async () => {
    const row = await findPersonRow(app, { id: person.id });
    if (!row || !(await isPassword(given.current, row.passwordHash)))
      throw new Refusal('SIGN_IN_FAILED', 'The current password is wrong.', { pointer: '/current' });
  });
  await checkNewPassword(given.password, [person.name, person.email]);
  const passwordHash = await hashPassword(given.password);
  await app.records.transaction(async () => {
    await changePerson(app, person.id, { passwordHash });
    await remember(app, { who: person.email, what: 'password changed', thing: `person ${person.email}`, origin });
  });
}
