import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { changeNames, lockResource, remember, type App, type Named } from '../platform/index.ts';
import { addGroup, listGroups, removeGroup, renameGroup, setMember, setMembers, type Group } from './groupStore.ts';
import { listGrants } from './grantStore.ts';
import { isAuthor, notFound, requireAdministrator } from './rights.ts';
import { listMasks, listRules } from './ruleStore.ts';
import { findPersonRow } from './store.ts';

async function idOf(app: App, email: string, pointer: string): Promise<string> {
  const row = await findPersonRow(app, { email });
  if (row) return row.id;
  const refusal = notFound('person', email, []);
  throw new Refusal(refusal.code, refusal.message, { ...refusal.details, pointer });
}

/**
 * Saves who belongs to a group. Administrators make groups; owners keep those that are not kept by the directory.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `NOT_FOUND`
 */
export async function saveGroup(
  app: App,
  by: PersonViewer,
  group: { name: string; members: readonly string[]; owners: readonly string[] },
  origin: string,
): Promise<void> {
  await app.records.transaction(async () => {
    await lockResource(app, 'group', group.name);
    const before = (await listGroups(app)).find((one) => one.name === group.name);
    if (before?.origin === 'directory')
      throw new Refusal('NOT_ALLOWED', `Group “${group.name}” is managed by the identity provider.`, {
        hint: 'Change it there.',
      });
    if (!before || !before.owners.includes(by.email)) requireAdministrator(by);
    const owners = new Set(group.owners.map((one) => one.toLowerCase()));
    const belonging = new Set(group.members.map((one) => one.toLowerCase()));
    const members = [];
    for (const email of new Set([...belonging, ...owners]))
      members.push({
        personId: await idOf(app, email, belonging.has(email) ? '/members' : '/owners'),
        isOwner: owners.has(email),
        isMember: belonging.has(email),
      });
    if (!before) await addGroup(app, { name: group.name });
    await setMembers(app, group.name, members);
    await remember(app, {
      who: by.email,
      what: 'group saved',
      thing: `group ${group.name}`,
      origin,
      before,
      after: group,
    });
  });
}

/** A group that somebody may change. @throws {Refusal} `NOT_FOUND` also for who may not know of it, `NOT_ALLOWED` */
async function requireKept(app: App, by: PersonViewer, name: string): Promise<Group> {
  const seen = await seenGroups(app, by);
  const group = seen.find((one) => one.name === name);
  if (!group)
    throw notFound(
      'group',
      name,
      seen.map((one) => one.name),
    );
  if (group.origin === 'directory')
    throw new Refusal('NOT_ALLOWED', `Group “${name}” is managed by the identity provider.`, {
      hint: 'Change it there.',
    });
  if (!group.owners.includes(by.email)) requireAdministrator(by);
  return group;
}

/**
 * Adds people to a group and removes others; everybody else stays, whatever changes at the same time.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `NOT_FOUND` for a group, and for one of `add` who is not here
 */
export async function changeMembers(
  app: App,
  by: PersonViewer,
  name: string,
  { add, remove }: { readonly add: readonly string[]; readonly remove: readonly string[] },
  origin: string,
): Promise<Group> {
  return app.records.transaction(async () => {
    await lockResource(app, 'group', name);
    const before = await requireKept(app, by, name);
    const ids = new Map<string, string>();
    for (const email of add) ids.set(email.toLowerCase(), await idOf(app, email, '/add'));
    for (const email of remove) {
      const gone = (await findPersonRow(app, { email }))?.id;
      if (gone !== undefined) await setMember(app, name, gone, false);
    }
    for (const id of ids.values()) await setMember(app, name, id, true);
    const after = (await listGroups(app)).find((one) => one.name === name)!;
    await remember(app, {
      who: by.email,
      what: 'group members updated',
      thing: `group ${name}`,
      origin,
      before: { members: before.members },
      after: { members: after.members },
    });
    return after;
  });
}

/** What names a group: nothing may, when it goes. */
async function usageOf(app: App, name: string): Promise<string[]> {
  const [grants, rules, masks] = await Promise.all([listGrants(app), listRules(app), listMasks(app)]);
  const isIt = (holder: { kind: string; name?: string }) => holder.kind === 'group' && holder.name === name;
  return [
    ...grants.filter((one) => isIt(one.holder)).map((one) => `${one.thing.kind} ${one.thing.name}`),
    ...rules.filter((one) => isIt(one.appliesTo)).map((one) => `row rule ${one.name}`),
    ...masks.filter((one) => isIt(one.appliesTo) || one.except.includes(name)).map((one) => `mask ${one.name}`),
  ];
}

/** @throws {Refusal} `IN_USE` while a right, rule or mask names it */
export async function dropGroup(app: App, by: PersonViewer, name: string, origin: string): Promise<void> {
  requireAdministrator(by);
  const before: Group | undefined = (await listGroups(app)).find((one) => one.name === name);
  if (!before) throw notFound('group', name, []);
  const uses = await usageOf(app, name);
  if (uses.length > 0)
    throw new Refusal('IN_USE', `Group “${name}” is used by ${uses.slice(0, 5).join(', ')}.`, {
      hint: 'Revoke or change those first.',
    });
  await app.records.transaction(async () => {
    await removeGroup(app, name);
    await remember(app, { who: by.email, what: 'group deleted', thing: `group ${name}`, origin, before });
  });
}

/** Those who make things see every group, others those that they own. */
export async function seenGroups(app: App, person: PersonViewer): Promise<Group[]> {
  const groups = await listGroups(app);
  return (await isAuthor(app, person)) ? groups : groups.filter((one) => one.owners.includes(person.email));
}

/** Whether a person may know of a group, or of an attribute of people. */
export async function isSeen(app: App, person: PersonViewer, { kind, name }: Named): Promise<boolean> {
  if (kind !== 'group') return isAuthor(app, person);
  return (await seenGroups(app, person)).some((one) => one.name === name);
}

/**
 * Gives a group another name, in whatever names it.
 *
 * @throws {Refusal} `NOT_ALLOWED` also for one that the directory keeps, `NOT_FOUND`, `NAME_TAKEN`
 */
export async function nameGroup(app: App, by: PersonViewer, name: string, to: string, origin: string): Promise<void> {
  requireAdministrator(by);
  await app.records.transaction(async () => {
    await changeNames(app);
    for (const one of [name, to].sort()) await lockResource(app, 'group', one);
    const groups = await listGroups(app);
    const before = groups.find((one) => one.name === name);
    if (!before)
      throw notFound(
        'group',
        name,
        groups.map((one) => one.name),
      );
    if (before.origin === 'directory')
      throw new Refusal('NOT_ALLOWED', `Group “${name}” is managed by the identity provider.`, {
        hint: 'Change it there.',
      });
    if (to === name) return;
    if (groups.some((one) => one.name === to))
      throw new Refusal('NAME_TAKEN', `A group named “${to}” already exists.`, { pointer: '/name', word: to });
    await renameGroup(app, name, to);
    await remember(app, {
      who: by.email,
      what: 'group renamed',
      thing: `group ${to}`,
      origin,
      before: { name },
      after: { name: to },
    });
  });
}
