import { QueryTypes } from 'sequelize';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface GroupRow {
  name: string;
  id: string;
  origin: 'here' | 'directory';
  externalId: string | null;
  changedAt: Date;
}

interface MemberRow {
  groupName: string;
  personId: string;
  isOwner: boolean;
  /** Who owns a group keeps it, and belongs to it only where that is said as well. */
  isMember: boolean;
}

/** A group with the addresses of those who belong to it, and of those who keep it. */
export interface Group {
  readonly name: string;
  readonly origin: GroupRow['origin'];
  readonly members: readonly string[];
  readonly owners: readonly string[];
}

const tables = (app: App) => ({
  groups: defineRecord<GroupRow>(app.records, 'groups', {
    name: 'key',
    id: 'text',
    origin: 'text',
    externalId: 'text',
    changedAt: 'instant',
  }),
  members: defineRecord<MemberRow>(app.records, 'group_members', {
    groupName: 'key',
    personId: 'key',
    isOwner: 'boolean',
    isMember: 'boolean',
  }),
});

export async function groupNames(app: App): Promise<string[]> {
  return (await tables(app).groups.findAll({ order: ['name'] })).map((row) => plain(row).name);
}

export async function listGroupRows(app: App): Promise<GroupRow[]> {
  return (await tables(app).groups.findAll({ order: ['name'] })).map(plain);
}

export async function findGroupRow(app: App, by: { id: string } | { name: string }): Promise<GroupRow | undefined> {
  const row = await tables(app).groups.findOne({ where: by });
  return row ? plain(row) : undefined;
}

/** The people of a group by id. */
export async function membersOf(
  app: App,
  name: string,
): Promise<{ personId: string; isOwner: boolean; isMember: boolean }[]> {
  return (await tables(app).members.findAll({ where: { groupName: name }, order: ['personId'] })).map(plain);
}

export async function listGroups(app: App): Promise<Group[]> {
  const groups = await listGroupRows(app);
  const rows = await app.records.query<{ group_name: string; email: string; is_owner: boolean; is_member: boolean }>(
    `SELECT group_name, email, is_owner, is_member FROM group_members JOIN people ON people.id = person_id WHERE state <> 'left' ORDER BY email`,
    { type: QueryTypes.SELECT },
  );
  return groups.map(({ name, origin }) => {
    const own = rows.filter((row) => row.group_name === name);
    return {
      name,
      origin,
      members: own.filter((row) => row.is_member).map((row) => row.email),
      owners: own.filter((row) => row.is_owner).map((row) => row.email),
    };
  });
}

export async function addGroup(
  app: App,
  group: { name: string; origin?: GroupRow['origin']; externalId?: string },
): Promise<GroupRow> {
  const row = await tables(app).groups.create({
    name: group.name,
    id: globalThis.crypto.randomUUID(),
    origin: group.origin ?? 'here',
    externalId: group.externalId ?? null,
    changedAt: new Date(app.now()),
  });
  return plain(row);
}

export async function changeGroup(
  app: App,
  name: string,
  change: Partial<Pick<GroupRow, 'name' | 'externalId'>>,
): Promise<void> {
  await tables(app).groups.update({ ...change, changedAt: new Date(app.now()) }, { where: { name } });
}

export async function removeGroup(app: App, name: string): Promise<void> {
  await tables(app).groups.destroy({ where: { name } });
}

/** Makes exactly these people the group's members and owners. */
export async function setMembers(
  app: App,
  name: string,
  members: readonly { readonly personId: string; readonly isOwner: boolean; readonly isMember: boolean }[],
): Promise<void> {
  const { members: table } = tables(app);
  await table.destroy({ where: { groupName: name } });
  await table.bulkCreate(
    members.map(({ personId, isOwner, isMember }) => ({ groupName: name, personId, isOwner, isMember })),
  );
}

/** Gives a group another name, in whatever names it. Wants a transaction around it. */
export async function renameGroup(app: App, from: string, to: string): Promise<void> {
  const options = { bind: { from, to } };
  const run = (text: string) => app.records.query(text, options);
  await run('UPDATE groups SET name = $to WHERE name = $from');
  await run(`UPDATE grants SET holder_name = $to WHERE holder_kind = 'group' AND holder_name = $from`);
  await run(`UPDATE row_rules SET applies_name = $to WHERE applies_kind = 'group' AND applies_name = $from`);
  await run(`UPDATE masks SET applies_name = $to WHERE applies_kind = 'group' AND applies_name = $from`);
  await run(
    `UPDATE masks SET except_groups = (except_groups - $from::text) || jsonb_build_array($to::text) WHERE except_groups ? $from`,
  );
  await app.things.follow({ kind: 'group', name: from }, to);
}
