import { randomUUID } from 'node:crypto';
import { Op, type Transaction } from 'sequelize';
import type { Grant, PersonViewer, RecordRule, RightLevel, ThingKind } from '@underbell/core/access';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface PersonRow {
  id: string;
  email: string;
  name: string;
  passwordHash: string | null;
  isAdministrator: boolean;
  state: 'active' | 'left';
  attributes: Record<string, string[]>;
  failedSignIns: number;
  lockedUntil: Date | null;
}

interface SessionRow {
  fingerprint: string;
  personId: string;
  kind: 'browser' | 'command line';
  createdAt: Date;
  expiresAt: Date;
}

interface GrantRow {
  id: number;
  holderKind: 'person' | 'group' | 'everyone';
  holderName: string;
  thingKind: ThingKind;
  thingName: string;
  level: RightLevel;
}

interface RuleRow {
  name: string;
  datasetName: string;
  appliesKind: 'everyone' | 'group' | 'person';
  appliesName: string;
  condition: string;
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
    failedSignIns: 'integer',
    lockedUntil: 'instant',
  }),
  groups: defineRecord<{ name: string }>(app.records, 'groups', { name: 'key' }),
  members: defineRecord<{ groupName: string; personId: string }>(app.records, 'group_members', {
    groupName: 'key',
    personId: 'key',
  }),
  sessions: defineRecord<SessionRow>(app.records, 'sessions', {
    fingerprint: 'key',
    personId: 'text',
    kind: 'text',
    createdAt: 'instant',
    expiresAt: 'instant',
  }),
  grants: defineRecord<GrantRow>(app.records, 'grants', {
    id: 'serial',
    holderKind: 'text',
    holderName: 'text',
    thingKind: 'text',
    thingName: 'text',
    level: 'text',
  }),
  rules: defineRecord<RuleRow>(app.records, 'record_rules', {
    name: 'key',
    datasetName: 'key',
    appliesKind: 'text',
    appliesName: 'text',
    condition: 'text',
  }),
});

async function toViewer(app: App, row: PersonRow): Promise<PersonViewer> {
  const groups = await tables(app).members.findAll({ where: { personId: row.id }, order: ['groupName'] });
  return {
    kind: 'person',
    id: row.id,
    name: row.name,
    email: row.email,
    isAdministrator: row.isAdministrator,
    groups: groups.map((one) => plain(one).groupName),
    attributes: row.attributes,
  };
}

export async function findPersonRow(app: App, email: string): Promise<PersonRow | undefined> {
  const row = await tables(app).people.findOne({ where: { email: email.toLowerCase() } });
  return row ? plain(row) : undefined;
}

/** A person who has not left. */
export async function findPerson(app: App, by: { email: string } | { id: string }): Promise<PersonViewer | undefined> {
  const where = 'email' in by ? { email: by.email.toLowerCase() } : by;
  const row = await tables(app).people.findOne({ where: { ...where, state: 'active' } });
  return row ? toViewer(app, plain(row)) : undefined;
}

export async function listPeople(app: App): Promise<PersonViewer[]> {
  const rows = await tables(app).people.findAll({ where: { state: 'active' }, order: ['name'] });
  return Promise.all(rows.map((row) => toViewer(app, plain(row))));
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
}

export async function addPerson(app: App, person: NewPerson, transaction: Transaction): Promise<string> {
  const { people, groups, members } = tables(app);
  const id = randomUUID();
  await people.create(
    {
      id,
      email: person.email.toLowerCase(),
      name: person.name,
      passwordHash: person.passwordHash,
      state: 'active',
      isAdministrator: person.isAdministrator ?? false,
      attributes: person.attributes ?? {},
      failedSignIns: 0,
      lockedUntil: null,
    },
    { transaction },
  );
  for (const name of person.groups ?? []) {
    await groups.findOrCreate({ where: { name }, transaction });
    await members.create({ groupName: name, personId: id }, { transaction });
  }
  return id;
}

export async function noteSignIn(app: App, id: string, failedSignIns: number, lockedUntil: Date | null): Promise<void> {
  await tables(app).people.update({ failedSignIns, lockedUntil }, { where: { id } });
}

/** Every attribute name that somebody has, for completion and for checking rules. */
export async function attributeNames(app: App): Promise<string[]> {
  const rows = await tables(app).people.findAll({ attributes: ['attributes'] });
  return [...new Set(rows.flatMap((row) => Object.keys(plain(row).attributes)))].sort();
}

export async function addSession(app: App, session: SessionRow): Promise<void> {
  await tables(app).sessions.create(session);
}

export async function findSession(app: App, print: string): Promise<PersonViewer | undefined> {
  const row = await tables(app).sessions.findOne({
    where: { fingerprint: print, expiresAt: { [Op.gt]: new Date(app.now()) } },
  });
  return row ? findPerson(app, { id: plain(row).personId }) : undefined;
}

export async function removeSession(app: App, print: string): Promise<void> {
  await tables(app).sessions.destroy({ where: { fingerprint: print } });
}

export async function listGrants(app: App): Promise<Grant[]> {
  const rows = await tables(app).grants.findAll({ order: ['id'] });
  return rows.map(plain).map((row) => ({
    holder: row.holderKind === 'everyone' ? { kind: 'everyone' } : { kind: row.holderKind, name: row.holderName },
    thing: { kind: row.thingKind, name: row.thingName },
    level: row.level,
  }));
}

export async function putGrant(app: App, grant: Grant, transaction?: Transaction): Promise<void> {
  const { holder, thing, level } = grant;
  const where = {
    holderKind: holder.kind,
    holderName: holder.kind === 'everyone' ? '' : holder.name,
    thingKind: thing.kind,
    thingName: thing.name,
  };
  const { grants } = tables(app);
  const [row] = await grants.findOrCreate({ where, defaults: { ...where, level }, transaction });
  await row.update({ level }, { transaction });
}

export async function listRules(app: App, dataset?: string): Promise<RecordRule[]> {
  const where = dataset === undefined ? {} : { datasetName: dataset };
  const rows = await tables(app).rules.findAll({ where, order: ['datasetName', 'name'] });
  return rows.map(plain).map((row) => ({
    name: row.name,
    dataset: row.datasetName,
    appliesTo: row.appliesKind === 'everyone' ? { kind: 'everyone' } : { kind: row.appliesKind, name: row.appliesName },
    where: row.condition,
  }));
}

export async function putRule(app: App, rule: RecordRule, transaction: Transaction): Promise<void> {
  const { appliesTo } = rule;
  await tables(app).rules.upsert(
    {
      name: rule.name,
      datasetName: rule.dataset,
      appliesKind: appliesTo.kind,
      appliesName: appliesTo.kind === 'everyone' ? '' : appliesTo.name,
      condition: rule.where,
    },
    { transaction },
  );
}

export async function removeRule(app: App, dataset: string, name: string, transaction: Transaction): Promise<boolean> {
  return (await tables(app).rules.destroy({ where: { datasetName: dataset, name }, transaction })) > 0;
}

export async function hasGroup(app: App, name: string): Promise<boolean> {
  return (await tables(app).groups.count({ where: { name } })) > 0;
}

export async function groupNames(app: App): Promise<string[]> {
  return (await tables(app).groups.findAll({ order: ['name'] })).map((row) => plain(row).name);
}
