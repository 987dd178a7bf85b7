import { randomUUID } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import type { PersonViewer } from '@underbell/core/access';
import type { ColumnType } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { defineRecord, plain, recall, type App } from '../platform/index.ts';

export type PersonState = 'invited' | 'active' | 'guest' | 'left';
/** People in these states may sign in and look at things. */
const present: PersonState[] = ['active', 'guest'];

export interface PersonRow {
  id: string;
  email: string;
  name: string;
  passwordHash: string | null;
  isAdministrator: boolean;
  state: PersonState;
  attributes: Record<string, string[]>;
  organisation: string | null;
  origin: 'here' | 'directory';
  externalId: string | null;
  directorySubject: string | null;
  changedAt: Date;
}

interface SessionRow {
  fingerprint: string;
  personId: string;
  kind: 'browser' | 'command line' | 'frame';
  createdAt: Date;
  expiresAt: Date;
}

/** What an attribute of people holds. */
export interface AttributeRow {
  name: string;
  label: string;
  type: ColumnType;
  isMany: boolean;
}

const tables = (app: App) => ({
  people: defineRecord<PersonRow>(app.records, 'people', {
    id: 'key',
    email: 'text',
    name: 'text',
    passwordHash: 'text',
    isAdministrator: 'boolean',
    state: 'text',
    attributes: 'json',
    organisation: 'text',
    origin: 'text',
    externalId: 'text',
    directorySubject: 'text',
    changedAt: 'instant',
  }),
  members: defineRecord<{ groupName: string; personId: string; isMember: boolean }>(app.records, 'group_members', {
    groupName: 'key',
    personId: 'key',
    isMember: 'boolean',
  }),
  groups: defineRecord<{ name: string }>(app.records, 'groups', { name: 'key' }),
  attributes: defineRecord<AttributeRow>(app.records, 'attributes', {
    name: 'key',
    label: 'text',
    type: 'text',
    isMany: 'boolean',
  }),
  sessions: defineRecord<SessionRow>(app.records, 'sessions', {
    fingerprint: 'key',
    personId: 'text',
    kind: 'text',
    createdAt: 'instant',
    expiresAt: 'instant',
  }),
});

async function groupsOf(app: App, ids: readonly string[]): Promise<Map<string, string[]>> {
  const rows = await tables(app).members.findAll({
    where: { personId: [...ids], isMember: true },
    order: ['groupName'],
  });
  const found = new Map<string, string[]>();
  for (const { personId, groupName } of rows.map(plain))
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

export type PersonKey = { email: string } | { id: string } | { externalId: string } | { directorySubject: string };

/** A person in whatever state. */
export async function findPersonRow(app: App, by: PersonKey): Promise<PersonRow | undefined> {
  const where = 'email' in by ? { email: by.email.toLowerCase() } : by;
  const row = await tables(app).people.findOne({ where });
  return row ? plain(row) : undefined;
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
    const rows = await app.records.query<{ id: string; email: string }>('SELECT id, email FROM people', {
      type: QueryTypes.SELECT,
    });
    return new Map(rows.map((row) => [row.id, row.email]));
  });
}

/** The number of somebody in whatever state. @throws {Refusal} `NOT_FOUND` */
export async function idOfEmail(app: App, email: string): Promise<string> {
  const row = await findPersonRow(app, { email });
  if (row) return row.id;
  throw new Refusal('NOT_FOUND', `there is no person \`${email}\``, { word: email });
}

/** Whether a program of this name is registered, as somebody to give rights to. */
export async function isClient(app: App, id: string): Promise<boolean> {
  const rows = await app.records.query(`SELECT FROM clients WHERE id = $id AND state = 'active'`, {
    bind: { id },
    type: QueryTypes.SELECT,
  });
  return rows.length > 0;
}

/** A person with what is kept beside what rules see. */
export interface ListedPerson extends PersonViewer {
  readonly state: PersonState;
  readonly organisation: string | null;
  readonly origin: PersonRow['origin'];
}

/** Everyone, also those who were invited or have left. */
export async function listEveryone(app: App): Promise<ListedPerson[]> {
  const rows = (await tables(app).people.findAll({ order: ['name'] })).map(plain);
  const groups = await groupsOf(
    app,
    rows.map((row) => row.id),
  );
  return rows.map((row) => ({
    ...toViewer(row, groups.get(row.id) ?? []),
    state: row.state,
    organisation: row.organisation,
    origin: row.origin,
  }));
}

/** One of them, by address. */
export async function findListed(app: App, email: string): Promise<ListedPerson | undefined> {
  const found = await tables(app).people.findOne({ where: { email: email.toLowerCase() } });
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
  return (await tables(app).people.findAll({ order: ['email'] })).map(plain);
}

export async function countPeople(app: App): Promise<number> {
  return tables(app).people.count();
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
  const { people, groups, members } = tables(app);
  const id = randomUUID();
  await noteAttributes(app, Object.keys(person.attributes ?? {}));
  await people.create({
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
    changedAt: new Date(app.now()),
  });
  for (const name of person.groups ?? []) {
    await groups.findOrCreate({ where: { name } });
    await members.create({ groupName: name, personId: id, isMember: true });
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
    | 'isAdministrator'
    | 'origin'
  >
>;

export async function changePerson(app: App, id: string, change: PersonChange): Promise<void> {
  await noteAttributes(app, Object.keys(change.attributes ?? {}));
  await tables(app).people.update(
    { ...change, ...(change.email ? { email: change.email.toLowerCase() } : {}), changedAt: new Date(app.now()) },
    { where: { id } },
  );
  // Whoever has left, or has a new password, is signed out everywhere.
  if (change.state === 'left' || change.passwordHash !== undefined)
    await tables(app).sessions.destroy({ where: { personId: id } });
}

/** Attributes that nobody declared hold texts, many of them. */
async function noteAttributes(app: App, names: readonly string[]): Promise<void> {
  for (const name of names) {
    const label = name.charAt(0).toUpperCase() + name.slice(1).replaceAll('_', ' ');
    await tables(app).attributes.findOrCreate({
      where: { name },
      defaults: { name, label, type: 'text', isMany: true },
    });
  }
}

/** The attributes that people may have, for completion and for checking rules and values. */
export async function listAttributes(app: App): Promise<AttributeRow[]> {
  return (await tables(app).attributes.findAll({ order: ['name'] })).map(plain);
}

export async function putAttribute(app: App, attribute: AttributeRow): Promise<void> {
  await tables(app).attributes.upsert(attribute);
}

export async function attributeNames(app: App): Promise<string[]> {
  return (await listAttributes(app)).map((one) => one.name);
}

export async function addSession(app: App, session: SessionRow): Promise<void> {
  await tables(app).sessions.create(session);
}

export async function findSession(app: App, print: string): Promise<PersonViewer | undefined> {
  // Asked for with every request: plain rows, no models.
  const [row] = await app.records.query<{ person_id: string }>(
    'SELECT person_id FROM sessions WHERE fingerprint = $print AND expires_at > $now',
    { bind: { print, now: new Date(app.now()) }, type: QueryTypes.SELECT },
  );
  return row ? findPerson(app, { id: row.person_id }) : undefined;
}

export async function removeSession(app: App, print: string): Promise<void> {
  await tables(app).sessions.destroy({ where: { fingerprint: print } });
}

export async function dropAttribute(app: App, name: string): Promise<void> {
  await tables(app).attributes.destroy({ where: { name } });
}

/** An attribute under another name, with what people have of it. */
export async function followAttribute(app: App, from: string, to: string): Promise<void> {
  await tables(app).attributes.update({ name: to }, { where: { name: from } });
  await app.records.query(
    `UPDATE people SET attributes = attributes - $from::text || jsonb_build_object($to::text, attributes->$from) WHERE attributes ? $from`,
    { bind: { from, to } },
  );
  await app.things.follow({ kind: 'attribute', name: from }, to);
}
