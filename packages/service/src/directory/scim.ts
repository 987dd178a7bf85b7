import SCIMMY from 'scimmy';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import {
  type MemberRow,
  addGroup,
  addPerson,
  changeGroup,
  changePerson,
  checkAttributes,
  findGroupRow,
  findPersonRow,
  listGroupRows,
  listPersonRows,
  membersOf,
  removeGroup,
  renameGroup,
  setMembers,
  type GroupRow,
  type PersonRow,
} from '../access/index.ts';
import { remember, type App } from '../platform/index.ts';

/** Attributes of people beyond what the standard has, as names with values. */
export const attributesSchema = 'urn:ietf:params:scim:schemas:extension:underbell:2.0:Attributes';

const { Attribute, SchemaDefinition } = SCIMMY.Types;

/** What travels with each request through the library's handlers. */
interface Context {
  readonly app: App;
  readonly origin: string;
}

interface UserResource {
  id?: string;
  externalId?: string;
  userName?: string;
  displayName?: string;
  name?: { formatted?: string; givenName?: string; familyName?: string };
  emails?: { value?: string; primary?: boolean }[];
  active?: boolean;
  [attributesSchema]?: { values?: { name: string; value: string }[] };
}

interface GroupResource {
  id?: string;
  externalId?: string;
  displayName?: string;
  members?: { value: string }[];
}

const by = 'directory';
const notFound = (id: string | undefined) =>
  new SCIMMY.Types.Error(404, null as never, `Resource ${id ?? ''} not found`);

/** Refusals of ours as the standard words them. @see RFC 7644 section 3.12 */
function asScimError(error: unknown): unknown {
  if (!isRefusal(error)) return error;
  const type = error.code === 'NAME_TAKEN' ? 'uniqueness' : 'invalidValue';
  return new SCIMMY.Types.Error(error.code === 'NAME_TAKEN' ? 409 : 400, type, error.message);
}

async function worded<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw asScimError(error);
  }
}

function attributesOf(row: PersonRow): { name: string; value: string }[] {
  return Object.entries(row.attributes).flatMap(([name, values]) => values.map((value) => ({ name, value })));
}

function toUser(row: PersonRow): UserResource {
  return {
    id: row.id,
    ...(row.externalId === null ? {} : { externalId: row.externalId }),
    userName: row.email,
    displayName: row.name,
    name: { formatted: row.name },
    emails: [{ value: row.email, primary: true }],
    active: row.state !== 'left',
    [attributesSchema]: { values: attributesOf(row) },
  };
}

function emailOf(user: UserResource): string {
  const primary = user.emails?.find((one) => one.primary) ?? user.emails?.[0];
  const email = primary?.value ?? user.userName ?? '';
  if (/^[^@\s]+@[^@\s]+$/.test(email)) return email.toLowerCase();
  throw new Refusal('INPUT_INVALID', 'a user needs a mail address, in emails or as userName');
}

function nameOf(user: UserResource): string {
  const { name } = user;
  const parts = [name?.givenName, name?.familyName].filter(Boolean).join(' ');
  return user.displayName ?? name?.formatted ?? (parts || (user.userName ?? ''));
}

function valuesOf(user: UserResource): Record<string, string[]> {
  const values: Record<string, string[]> = {};
  for (const { name, value } of user[attributesSchema]?.values ?? []) (values[name] ??= []).push(value);
  return values;
}

/** Only people and groups that the directory keeps are the directory's to see and change. */
async function ownPerson(app: App, id: string | undefined): Promise<PersonRow> {
  const row = id === undefined ? undefined : await findPersonRow(app, { id });
  if (row?.origin === 'directory') return row;
  throw notFound(id);
}

async function writePerson(
  { app, origin }: Context,
  id: string | undefined,
  user: UserResource,
): Promise<UserResource> {
  const email = emailOf(user);
  const attributes = valuesOf(user);
  await checkAttributes(app, attributes);
  const before = id === undefined ? undefined : await ownPerson(app, id);
  const taken = await findPersonRow(app, { email });
  if (taken && taken.id !== id) throw new Refusal('NAME_TAKEN', `${email} is here already`);
  const isActive = user.active !== false;
  const change = {
    email,
    name: nameOf(user),
    attributes,
    externalId: user.externalId ?? null,
    // Deactivation ends sessions and tokens at once; a guest stays one.
    state: isActive ? (before?.state === 'guest' ? 'guest' : 'active') : 'left',
  } as const;
  const changedId = await app.records.transaction(async () => {
    const made =
      id ??
      (await addPerson(app, {
        email,
        name: change.name,
        passwordHash: null,
        origin: 'directory',
        state: change.state,
      }));
    await changePerson(app, made, change);
    await remember(app, {
      who: by,
      what: before ? 'person changed' : 'person added',
      thing: `person ${email}`,
      origin,
      before: before && { name: before.name, state: before.state, attributes: before.attributes },
      after: change,
    });
    return made;
  });
  return toUser((await findPersonRow(app, { id: changedId }))!);
}

async function ownGroup(app: App, id: string | undefined): Promise<GroupRow> {
  const row = id === undefined ? undefined : await findGroupRow(app, { id });
  if (row?.origin === 'directory') return row;
  throw notFound(id);
}

async function toGroups(app: App, rows: readonly GroupRow[]): Promise<GroupResource[]> {
  const members = await membersOf(
    app,
    rows.map((row) => row.name),
  );
  return rows.map((row) => toGroup(row, members.get(row.name) ?? []));
}

function toGroup(row: GroupRow, members: readonly MemberRow[]): GroupResource {
  return {
    id: row.id,
    ...(row.externalId === null ? {} : { externalId: row.externalId }),
    displayName: row.name,
    members: members.filter((one) => one.isMember).map(({ personId }) => ({ value: personId })),
  };
}

async function writeGroup(
  { app, origin }: Context,
  id: string | undefined,
  group: GroupResource,
): Promise<GroupResource> {
  const name = (group.displayName ?? '').trim();
  if (name === '') throw new Refusal('INPUT_INVALID', 'a group needs a displayName');
  const before = id === undefined ? undefined : await ownGroup(app, id);
  const taken = await findGroupRow(app, { name });
  if (taken && taken.id !== id) throw new Refusal('NAME_TAKEN', `there is a group ${name} already`);
  const ids = [...new Set((group.members ?? []).map((one) => one.value))];
  for (const personId of ids)
    if (!(await findPersonRow(app, { id: personId })))
      throw new Refusal('INPUT_INVALID', `there is no user ${personId}`);
  const owners = before
    ? ((await membersOf(app, [before.name])).get(before.name) ?? [])
        .filter((one) => one.isOwner)
        .map((one) => one.personId)
    : [];
  await app.records.transaction(async () => {
    const externalId = group.externalId ?? null;
    if (before) {
      if (before.name !== name) await renameGroup(app, before.name, name);
      await changeGroup(app, name, { externalId });
    } else {
      await addGroup(app, { name, origin: 'directory', ...(externalId ? { externalId } : {}) });
    }
    const everyone = [...new Set([...ids, ...owners])];
    const members = everyone.map((personId) => ({
      personId,
      isOwner: owners.includes(personId),
      isMember: ids.includes(personId),
    }));
    await setMembers(app, name, members);
    await remember(app, {
      who: by,
      what: before ? 'group changed' : 'group added',
      thing: `group ${name}`,
      origin,
      before: before && { name: before.name },
      after: { name, members: ids.length },
    });
  });
  const [saved] = await toGroups(app, [(await findGroupRow(app, { name }))!]);
  return saved!;
}

interface Asked {
  readonly id?: string;
  readonly filter?: { match<T>(all: T[]): T[] };
}

/** The filter is applied here; the library only reads it. */
function matching<T>({ filter }: Asked, all: T[]): T[] {
  return filter === undefined ? all : filter.match(all);
}

/** Tells the library how users and groups are kept here; once per process. */
function declareResources(): void {
  SCIMMY.Schemas.User.definition.extend(
    new SchemaDefinition('Attributes', attributesSchema, 'Attributes that row rules look at', [
      new Attribute('complex', 'values', { multiValued: true, description: 'One entry for each value' }, [
        new Attribute('string', 'name', { required: true, description: 'The attribute' }),
        new Attribute('string', 'value', { required: true, description: 'One of its values' }),
      ]),
    ]),
    false,
  );
  SCIMMY.Config.set({
    patch: true,
    filter: true,
    sort: true,
    bulk: false,
    changePassword: false,
    etag: false,
  } as never);
  SCIMMY.Resources.declare(SCIMMY.Resources.User)
    .ingress(((resource: { id?: string }, user: UserResource, context: Context) =>
      worded(() => writePerson(context, resource.id, user))) as never)
    .egress((async (resource: Asked, { app }: Context) => {
      if (resource.id !== undefined) return toUser(await ownPerson(app, resource.id));
      return matching(resource, (await listPersonRows(app)).filter((row) => row.origin === 'directory').map(toUser));
    }) as never)
    .degress((async (resource: { id?: string }, context: Context) => {
      const row = await ownPerson(context.app, resource.id);
      // Nobody is forgotten: what they did stays theirs in the log.
      await writePerson(context, row.id, { ...toUser(row), active: false });
    }) as never);
  SCIMMY.Resources.declare(SCIMMY.Resources.Group)
    .ingress(((resource: { id?: string }, group: GroupResource, context: Context) =>
      worded(() => writeGroup(context, resource.id, group))) as never)
    .egress((async (resource: Asked, { app }: Context) => {
      if (resource.id !== undefined) return (await toGroups(app, [await ownGroup(app, resource.id)]))[0];
      const rows = (await listGroupRows(app)).filter((row) => row.origin === 'directory');
      return matching(resource, await toGroups(app, rows));
    }) as never)
    .degress((async (resource: { id?: string }, { app, origin }: Context) => {
      const row = await ownGroup(app, resource.id);
      await app.records.transaction(async () => {
        // Rules and rights that name it stay and open nothing, until a group of the name comes back.
        await removeGroup(app, row.name);
        await remember(app, { who: by, what: 'group removed', thing: `group ${row.name}`, origin });
      });
    }) as never);
}

let isDeclared = false;

/** One request of the directory, answered as the standard says. */
export async function answerScim(
  context: Context,
  request: {
    readonly kind: 'Users' | 'Groups';
    readonly method: string;
    readonly id?: string;
    readonly query: object;
    readonly body: unknown;
  },
): Promise<{ status: number; body: unknown }> {
  if (!isDeclared) declareResources();
  isDeclared = true;
  const Resource = request.kind === 'Users' ? SCIMMY.Resources.User : SCIMMY.Resources.Group;
  Resource.basepath(`${context.app.settings.publicUrl}/scim/v2`);
  try {
    const resource = new (Resource as unknown as new (id?: string, query?: object) => ScimResource)(
      request.id,
      request.query,
    );
    switch (request.method) {
      case 'GET':
        return { status: 200, body: await resource.read(context) };
      case 'POST':
      case 'PUT':
        return { status: request.id === undefined ? 201 : 200, body: await resource.write(request.body, context) };
      case 'PATCH': {
        const changed = await resource.patch(request.body, context);
        return { status: changed === undefined ? 204 : 200, body: changed ?? null };
      }
      default:
        await resource.dispose(context);
        return { status: 204, body: null };
    }
  } catch (error) {
    if (error instanceof SCIMMY.Types.Error)
      return { status: Number((error as { status?: number }).status), body: new SCIMMY.Messages.Error(error as never) };
    throw error;
  }
}

interface ScimResource {
  read(context: Context): Promise<unknown>;
  write(body: unknown, context: Context): Promise<unknown>;
  patch(body: unknown, context: Context): Promise<unknown>;
  dispose(context: Context): Promise<void>;
}

/** What this service understands. @see RFC 7643 section 5 */
export function scimConfig(): unknown {
  if (!isDeclared) declareResources();
  isDeclared = true;
  return new SCIMMY.Schemas.ServiceProviderConfig(SCIMMY.Config.get() as never);
}
