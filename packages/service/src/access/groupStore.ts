import { Op } from 'sequelize';
import {
  forgetFormerNames,
  keepFormerName,
  renameElement,
  rows,
  all,
  one,
  plain,
  type App,
} from '../platform/index.ts';
import { grants, rowRules, masks, type MemberRow, groupMembers, groups, type GroupRow } from './models.ts';

/** A group with the addresses of those who belong to it, and of those who keep it. */
export interface Group {
  readonly name: string;
  readonly origin: GroupRow['origin'];
  readonly members: readonly string[];
  readonly owners: readonly string[];
}

export async function groupNames(app: App): Promise<string[]> {
  return (await groups(app).findAll({ order: ['name'] })).map((row) => plain(row).name);
}

export async function listGroupRows(app: App): Promise<GroupRow[]> {
  return all(groups(app).findAll({ order: ['name'] }));
}

export async function findGroupRow(app: App, by: { id: string } | { name: string }): Promise<GroupRow | undefined> {
  return one(groups(app).findOne({ where: by }));
}

/** The people of each of some groups, by number. */
export async function membersOf(app: App, names: readonly string[]): Promise<ReadonlyMap<string, MemberRow[]>> {
  const found = new Map<string, MemberRow[]>();
  const theirs = { where: { groupName: [...names] }, order: ['personId'] };
  for (const row of await rows(groupMembers(app), theirs))
    found.set(row.groupName, [...(found.get(row.groupName) ?? []), row]);
  return found;
}

export async function listGroups(app: App): Promise<Group[]> {
  const groups = await listGroupRows(app);
  const asked = await groupMembers(app).findAll({
    include: [{ association: 'person', attributes: ['email'], where: { state: { [Op.ne]: 'left' } } }],
    order: [['person', 'email', 'ASC']],
    raw: true,
    nest: true,
  });
  const members = asked as unknown as (MemberRow & { person: { email: string } })[];
  return groups.map(({ name, origin }) => {
    const own = members.filter((row) => row.groupName === name);
    return {
      name,
      origin,
      members: own.filter((row) => row.isMember).map((row) => row.person.email),
      owners: own.filter((row) => row.isOwner).map((row) => row.person.email),
    };
  });
}

export async function addGroup(
  app: App,
  group: { name: string; origin?: GroupRow['origin']; externalId?: string },
): Promise<GroupRow> {
  const row = await groups(app).create({
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
  await groups(app).update({ ...change, changedAt: new Date(app.now()) }, { where: { name } });
}

export async function removeGroup(app: App, name: string): Promise<void> {
  await groups(app).destroy({ where: { name } });
  await forgetFormerNames(app, { kind: 'group', name });
}

/** Makes exactly these people the group's members and owners. */
export async function setMembers(
  app: App,
  name: string,
  members: readonly { readonly personId: string; readonly isOwner: boolean; readonly isMember: boolean }[],
): Promise<void> {
  await groupMembers(app).destroy({ where: { groupName: name } });
  await groupMembers(app).bulkCreate(
    members.map(({ personId, isOwner, isMember }) => ({ groupName: name, personId, isOwner, isMember })),
  );
}

/** Makes a person a member of a group or none; whether they own it stays as it is. */
export async function setMember(app: App, groupName: string, personId: string, isMember: boolean): Promise<void> {
  const known = await groupMembers(app).findOne({ where: { groupName, personId } });
  if (known === null) {
    if (isMember) await groupMembers(app).create({ groupName, personId, isOwner: false, isMember });
  } else if (isMember || plain(known).isOwner) await known.update({ isMember });
  else await known.destroy();
}

/** Gives a group another name, in whatever names it. Wants a transaction around it. */
export async function renameGroup(app: App, from: string, to: string): Promise<void> {
  const applies = { where: { appliesKind: 'group' as const, appliesName: from } };
  await groups(app).update({ name: to }, { where: { name: from } });
  await grants(app).update({ holderName: to }, { where: { holderKind: 'group', holderName: from } });
  await rowRules(app).update({ appliesName: to }, applies);
  await masks(app).update({ appliesName: to }, applies);
  await renameElement(app, { model: masks, column: 'except_groups', from, to });
  await app.things.follow({ kind: 'group', name: from }, to);
  await keepFormerName(app, { kind: 'group', name: from }, to);
}
