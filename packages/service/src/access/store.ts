import { randomUUID } from 'node:crypto';
import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { all, one, plain, recall, renameKey, rows, type App } from '../platform/index.ts';
import { isActiveClient } from './clients.sql.ts';
import { holderOfSession, type SessionHolder } from './sessions.sql.ts';
import {
  attributes,
  groupMembers,
  groups,
  people,
  sessions,
  type PersonRow,
  type SessionRow,
  type AttributeRow,
  type PersonState,
} from './models.ts';

/** People in these states may sign in and look at things. */
const present: PersonState[] = ['active', 'guest'];

async function groupsOf(app: App, ids: readonly string[]): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  const memberships = { where: { personId: [...ids], isMember: true }, order: ['groupName'] };
  for (const { personId, groupName } of await rows(groupMembers(app), memberships))
    found.set(personId, [...(found.get(personId) ?? []), groupName]);
  return found;
}

function toViewer(row: PersonRow, groups: readonly string[]): PersonViewer {
  return {
    kind: 'person',
    id: row.id,
    name: row.name,
    email: row.email,
    isAdministrator: row.isAdministrator,
    ...(row.state === 'guest' ? { isGuest: true } : {}),
    groups,
    attributes: row.attributes,
  };
}

export type PersonKey =
  { email: string } | { id: string } | { externalId: string } | { directorySubject: string } | { userName: string };

/** A person in whatever state. */
export async function findPersonRow(app: App, by: PersonKey): Promise<PersonRow | undefined> {
  const where =
    'email' in by ? { email: by.email.toLowerCase() } : 'userName' in by ? { userName: by.userName.toLowerCase() } : by;
  return one(people(app).findOne({ where }));
}

/** A person who may look at things: neither still invited nor gone. */
export async function findPerson(app: App, by: PersonKey): Promise<PersonViewer | undefined> {
  return recall(`person ${JSON.stringify(by)}`, async () => {
    const row = await findPersonRow(app, by);
    if (!row || !present.includes(row.state)) return undefined;
    return toViewer(row, (await groupsOf(app, [row.id])).get(row.id) ?? []);
  });
}

/** Everybody's address of today by number, also of those who have left. */
export async function emailsById(app: App): Promise<ReadonlyMap<string, string>> {
  return recall('addresses', async () => {
    const found = await rows(people(app), { attributes: ['id', 'email'] });
    return new Map(found.map((row) => [row.id, row.email]));
  });
}

/** The number of somebody in whatever state. @throws {Refusal} `NOT_FOUND` */
export async function idOfEmail(app: App, email: string): Promise<string> {
  const row = await findPersonRow(app, { email });
  if (row) return row.id;
  throw new Refusal('NOT_FOUND', `There is no user “${email}”.`, { word: email });
}

/** Whether a program of this name is registered, as somebody to give rights to. */
export async function isClient(app: App, id: string): Promise<boolean> {
  return isActiveClient(app, id);
}

/** A person with what is kept beside what rules see. */
export interface ListedPerson extends PersonViewer {
  readonly state: PersonState;
  readonly organisation: string | null;
  readonly origin: PersonRow['origin'];
}

/** Everyone, also those who were invited or have left. */
export async function listEveryone(app: App): Promise<ListedPerson[]> {
  const everyone = await all(people(app).findAll({ order: ['name'] }));
  const groups = await groupsOf(
    app,
    everyone.map((row) => row.id),
  );
  return everyone.map((row) => ({
    ...toViewer(row, groups.get(row.id) ?? []),
    state: row.state,
    organisation: row.organisation,
    origin: row.origin,
  }));
}

/** One of them, by address. */
export async function findListed(app: App, email: string): Promise<ListedPerson | undefined> {
  const found = await people(app).findOne({ where: { email: email.toLowerCase() } });
  if (!found) return undefined;
  const row = plain(found);
  const groups = await groupsOf(app, [row.id]);
  const { state, organisation, origin } = row;
  return { ...toViewer(row, groups.get(row.id) ?? []), state, organisation, origin };
}

/** Everyone who may look at things. */
export async function listPeople(app: App): Promise<ListedPerson[]> {
  return (await listEveryone(app)).filter((one) => present.includes(one.state));
}

/** Rows for provisioning, in a stable order. */
export async function listPersonRows(app: App): Promise<PersonRow[]> {
  return all(people(app).findAll({ order: ['email'] }));
}

export async function countPeople(app: App): Promise<number> {
  return people(app).count();
}

export interface NewPerson {
  readonly email: string;
  readonly name: string;
  readonly passwordHash: string | null;
  readonly isAdministrator?: boolean;
  readonly attributes?: Record<string, string[]>;
  readonly groups?: readonly string[];
  readonly state?: PersonState;
  readonly organisation?: string;
  readonly origin?: PersonRow['origin'];
  readonly externalId?: string;
}

export async function addPerson(app: App, person: NewPerson): Promise<string> {
  const id = randomUUID();
  await noteAttributes(app, Object.keys(person.attributes ?? {}));
  await people(app).create({
    id,
    email: person.email.toLowerCase(),
    name: person.name,
    passwordHash: person.passwordHash,
    state: person.state ?? 'active',
    isAdministrator: person.isAdministrator ?? false,
    attributes: person.attributes ?? {},
    organisation: person.organisation ?? null,
    origin: person.origin ?? 'here',
    externalId: person.externalId ?? null,
    directorySubject: null,
    userName: null,
    directoryUser: null,
    deletedAt: null,
    changedAt: new Date(app.now()),
  });
  for (const name of person.groups ?? []) {
    await groups(app).findOrCreate({ where: { name } });
    await groupMembers(app).create({ groupName: name, personId: id, isMember: true });
  }
  return id;
}

export type PersonChange = Partial<
  Pick<
    PersonRow,
    | 'email'
    | 'name'
    | 'passwordHash'
    | 'state'
    | 'attributes'
    | 'organisation'
    | 'externalId'
    | 'directorySubject'
    | 'userName'
    | 'directoryUser'
    | 'deletedAt'
    | 'isAdministrator'
    | 'origin'
  >
>;

export async function changePerson(app: App, id: string, change: PersonChange): Promise<void> {
  await noteAttributes(app, Object.keys(change.attributes ?? {}));
  await people(app).update(
    { ...change, ...(change.email ? { email: change.email.toLowerCase() } : {}), changedAt: new Date(app.now()) },
    { where: { id } },
  );
  // Whoever has left, or has a new password, is signed out everywhere.
  if (change.state === 'left' || change.passwordHash !== undefined)
    await sessions(app).destroy({ where: { personId: id } });
}

/** Attributes that nobody declared hold texts, many of them. */
async function noteAttributes(app: App, names: readonly string[]): Promise<void> {
  for (const name of names) {
    const label = name.charAt(0).toUpperCase() + name.slice(1).replaceAll('_', ' ');
    await attributes(app).findOrCreate({
      where: { name },
      defaults: { name, label, type: 'text', isMany: true },
    });
  }
}

/** The attributes that people may have, for completion and for checking rules and values. */
export async function listAttributes(app: App): Promise<AttributeRow[]> {
  return all(attributes(app).findAll({ order: ['name'] }));
}

export async function putAttribute(app: App, attribute: AttributeRow): Promise<void> {
  await attributes(app).upsert(attribute);
}

export async function attributeNames(app: App): Promise<string[]> {
  return (await listAttributes(app)).map((one) => one.name);
}

export async function addSession(app: App, session: SessionRow): Promise<void> {
  await sessions(app).create(session);
}

/** A person as they came in. Nobody administers by the word of a chat: whoever runs its server could say it of anybody. */
export async function findHolder(app: App, holder: SessionHolder | undefined): Promise<PersonViewer | undefined> {
  const person = holder && (await findPerson(app, { id: holder.personId }));
  return person && holder.kind === 'chat' ? { ...person, isAdministrator: false, cameBy: 'chat' } : person;
}

export async function findSession(app: App, print: string): Promise<PersonViewer | undefined> {
  return findHolder(app, await holderOfSession(app, print));
}

/** Ends every session that a chat vouched for: whoever is in one comes in anew. */
export async function endChatSessions(app: App): Promise<void> {
  await sessions(app).destroy({ where: { kind: 'chat' } });
}

export async function removeSession(app: App, print: string): Promise<void> {
  await sessions(app).destroy({ where: { fingerprint: print } });
}

export async function dropAttribute(app: App, name: string): Promise<void> {
  await attributes(app).destroy({ where: { name } });
}

/** An attribute under another name, with what people have of it. */
export async function followAttribute(app: App, from: string, to: string): Promise<void> {
  await attributes(app).update({ name: to }, { where: { name: from } });
  await renameKey(app, { model: people, column: 'attributes', from, to });
  await app.things.follow({ kind: 'attribute', name: from }, to);
}
