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
  type DirectoryUser,
  type GroupRow,
  type PersonRow,
} from '../access/index.ts';
import { changeNames, lockResource, remember, type App } from '../platform/index.ts';
import { attributesSchema, filterOf, operationsOf, pageOf, resourceOf, scimError } from './scimForms.ts';

const { Attribute, SchemaDefinition } = SCIMMY.Types;

/** What travels with each request through the library's handlers. */
interface Context {
  readonly app: App;
  readonly origin: string;
  /** Which resources are asked for. */
  readonly isWanted?: (resource: object) => boolean;
  /** What went wrong that is no answer of the standard. */
  readonly failures: unknown[];
}

interface UserResource extends DirectoryUser {
  id?: string;
  externalId?: string;
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
const notFound = (id: string | undefined) => scimError(404, null, `Resource ${id ?? ''} not found`);

/** Refusals of ours as the standard words them. @see RFC 7644 section 3.12 */
function asScimError(error: unknown): unknown {
  if (!isRefusal(error)) return error;
  const type = error.code === 'NAME_TAKEN' ? 'uniqueness' : 'invalidValue';
  return scimError(error.code === 'NAME_TAKEN' ? 409 : 400, type, error.message);
}

/** Of what goes wrong inside, the library would say that a resource is not there: it is kept, and thrown where it ends. */
async function worded<T>(context: Context, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const known = asScimError(error);
    if (!(known instanceof SCIMMY.Types.Error)) context.failures.push(error);
    throw known;
  }
}

function attributesOf(row: PersonRow): { name: string; value: string }[] {
  return Object.entries(row.attributes).flatMap(([name, values]) => values.map((value) => ({ name, value })));
}

/** What is kept of a user, where nothing was said yet of how the directory writes it. */
const usualUser = ({ email, name }: Pick<PersonRow, 'email' | 'name'>): DirectoryUser => ({
  userName: email,
  displayName: name,
  name: { formatted: name },
  emails: [{ value: email, type: 'work', primary: true }],
});

function toUser(row: PersonRow): UserResource {
  return {
    ...(row.directoryUser ?? usualUser(row)),
    id: row.id,
    ...(row.externalId === null ? {} : { externalId: row.externalId }),
    active: row.state !== 'left',
    [attributesSchema]: { values: attributesOf(row) },
  };
}

const isAddress = (text: string | undefined): text is string => /^[^@\s]+@[^@\s]+$/.test(text ?? '');

function emailOf(user: UserResource): string {
  const primary = user.emails?.find((one) => one.primary) ?? user.emails?.[0];
  const email = primary?.value ?? user.userName ?? '';
  if (isAddress(email)) return email.toLowerCase();
  throw new Refusal('INPUT_INVALID', 'A user needs an email, in emails or as userName.');
}

/** A user whose name was their address, and who gets another such name, has another address. */
function followed(user: UserResource, before: PersonRow | undefined): UserResource {
  if (!before || before.directoryUser !== null || user.userName === undefined) return user;
  const hasOtherName = user.userName.toLowerCase() !== before.email && isAddress(user.userName);
  const isSameAddress = user.emails?.length === 1 && user.emails[0]!.value?.toLowerCase() === before.email;
  if (!hasOtherName || !isSameAddress) return user;
  return { ...user, emails: [{ ...user.emails[0], value: user.userName }] };
}

function nameOf(user: UserResource): string {
  const { name } = user;
  const parts = [name?.givenName, name?.familyName].filter(Boolean).join(' ');
  return user.displayName ?? name?.formatted ?? (parts || (user.userName ?? ''));
}

const keptOf = ({ userName, displayName, name, emails }: UserResource): DirectoryUser => ({
  ...(userName === undefined ? {} : { userName }),
  ...(displayName === undefined ? {} : { displayName }),
  ...(name === undefined
    ? {}
    : { name: { formatted: name.formatted, givenName: name.givenName, familyName: name.familyName } }),
  ...(emails === undefined ? {} : { emails: emails.map(({ value, type, primary }) => ({ value, type, primary })) }),
});

function valuesOf(user: UserResource): Record<string, string[]> {
  const values: Record<string, string[]> = {};
  for (const { name, value } of user[attributesSchema]?.values ?? []) (values[name] ??= []).push(value);
  return values;
}

/** Only people and groups that the directory keeps are the directory's to see and change. */
async function ownPerson(app: App, id: string | undefined): Promise<PersonRow> {
  const row = id === undefined ? undefined : await findPersonRow(app, { id });
  if (row?.origin === 'directory' && row.deletedAt === null) return row;
  throw notFound(id);
}

async function writePerson(
  { app, origin }: Context,
  id: string | undefined,
  given: UserResource,
): Promise<UserResource> {
  const before = id === undefined ? undefined : await ownPerson(app, id);
  const user = followed(given, before);
  if (typeof user.userName !== 'string' || user.userName.trim() === '')
    throw new Refusal('INPUT_INVALID', 'A user needs a userName.');
  const email = emailOf(user);
  const attributes = valuesOf(user);
  await checkAttributes(app, attributes);
  const taken = [await findPersonRow(app, { email }), await findPersonRow(app, { userName: user.userName })];
  // Who was deleted comes back as who they were: what they did is theirs in the log.
  const deleted = before ? undefined : taken.find((one) => one?.origin === 'directory' && one.deletedAt !== null);
  if (taken.some((one) => one && one.id !== (id ?? deleted?.id)))
    throw new Refusal('NAME_TAKEN', `A user ${user.userName} or an email ${email} already exists.`);
  const isActive = user.active !== false;
  const change = {
    email,
    name: nameOf(user),
    attributes,
    userName: user.userName.toLowerCase(),
    directoryUser: keptOf(user),
    deletedAt: null,
    externalId: user.externalId ?? null,
    // Deactivation ends sessions and tokens at once; a guest stays one.
    state: isActive ? (before?.state === 'guest' ? 'guest' : 'active') : 'left',
  } as const;
  const changedId = await app.records.transaction(async () => {
    const made =
      id ??
      deleted?.id ??
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
      what: before ? 'user updated' : 'person added',
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
  if (name === '') throw new Refusal('INPUT_INVALID', 'A group needs a displayName.');
  const before = id === undefined ? undefined : await ownGroup(app, id);
  const taken = await findGroupRow(app, { name });
  if (taken && taken.id !== id) throw new Refusal('NAME_TAKEN', `A group named ${name} already exists.`);
  const ids = [...new Set((group.members ?? []).map((one) => one.value))];
  for (const personId of ids)
    if (!(await findPersonRow(app, { id: personId })))
      throw new Refusal('INPUT_INVALID', `There is no user ${personId}.`);
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
}

/** The library's own filter lets some pass that it cannot read, and tells capitals apart: ours is applied here. */
const wanted = <T extends object>({ isWanted = () => true }: Context, all: T[]): T[] => all.filter(isWanted);

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
      worded(context, () => writePerson(context, resource.id, user))) as never)
    .egress(((resource: Asked, context: Context) =>
      worded(context, async () => {
        const { app } = context;
        if (resource.id !== undefined) return toUser(await ownPerson(app, resource.id));
        const own = (await listPersonRows(app)).filter((row) => row.origin === 'directory' && row.deletedAt === null);
        return wanted(context, own.map(toUser));
      })) as never)
    .degress(((resource: { id?: string }, context: Context) =>
      worded(context, async () => {
        const row = await ownPerson(context.app, resource.id);
        // Nobody is forgotten: what they did stays theirs in the log.
        await writePerson(context, row.id, { ...toUser(row), active: false });
        await changePerson(context.app, row.id, { deletedAt: new Date(context.app.now()) });
      })) as never);
  SCIMMY.Resources.declare(SCIMMY.Resources.Group)
    .ingress(((resource: { id?: string }, group: GroupResource, context: Context) =>
      worded(context, () => writeGroup(context, resource.id, group))) as never)
    .egress(((resource: Asked, context: Context) =>
      worded(context, async () => {
        const { app } = context;
        if (resource.id !== undefined) return (await toGroups(app, [await ownGroup(app, resource.id)]))[0];
        const rows = (await listGroupRows(app)).filter((row) => row.origin === 'directory');
        return wanted(context, await toGroups(app, rows));
      })) as never)
    .degress(((resource: { id?: string }, context: Context) =>
      worded(context, async () => {
        const { app, origin } = context;
        const row = await ownGroup(app, resource.id);
        await app.records.transaction(async () => {
          // Rules and rights that name it stay and open nothing, until a group of the name comes back.
          await removeGroup(app, row.name);
          await remember(app, { who: by, what: 'group deleted', thing: `group ${row.name}`, origin });
        });
      })) as never);
}

let isDeclared = false;
function declareOnce(app: App): void {
  if (!isDeclared) declareResources();
  isDeclared = true;
  for (const one of Object.values(resources)) one.basepath(`${app.settings.publicUrl}/scim/v2`);
}

const resources = {
  Users: SCIMMY.Resources.User,
  Groups: SCIMMY.Resources.Group,
  Schemas: SCIMMY.Resources.Schema,
  ResourceTypes: SCIMMY.Resources.ResourceType,
} as const;
export type ScimKind = keyof typeof resources;

interface ScimRequest {
  readonly kind: ScimKind;
  readonly method: string;
  readonly id?: string | undefined;
  readonly query: Readonly<Record<string, unknown>>;
  readonly body: unknown;
}

interface ScimResource {
  read(context: Context): Promise<unknown>;
  write(body: unknown, context: Context): Promise<unknown>;
  patch(body: unknown, context: Context): Promise<unknown>;
  dispose(context: Context): Promise<void>;
}

interface ScimAnswer {
  readonly status: number;
  readonly body: unknown;
}

const resourceFor = ({ kind, id }: ScimRequest, query: object): ScimResource =>
  new (resources[kind] as unknown as new (id?: string, query?: object) => ScimResource)(id, query);

async function read(context: Context, request: ScimRequest): Promise<ScimAnswer> {
  const { filter, startIndex: _, count: _count, ...rest } = request.query;
  if (request.kind === 'ResourceTypes' && request.id !== undefined) {
    const { Resources } = (await resourceFor({ ...request, id: undefined }, {}).read(context)) as {
      Resources: readonly { readonly name: string }[];
    };
    const found = Resources.find((one) => one.name === request.id);
    if (!found) throw notFound(request.id);
    return { status: 200, body: found };
  }
  if (request.id !== undefined) return { status: 200, body: await resourceFor(request, rest).read(context) };
  const page = pageOf(request.query);
  const isWanted = filterOf(filter);
  // The library's own pages are cut here: it is given room for all.
  const list = (await resourceFor(request, { ...rest, count: Number.MAX_SAFE_INTEGER }).read({
    ...context,
    isWanted,
  })) as { Resources: unknown[] };
  const found = list.Resources.slice(page.startIndex - 1, page.startIndex - 1 + page.count);
  const counts = { totalResults: list.Resources.length, startIndex: page.startIndex, itemsPerPage: found.length };
  return { status: 200, body: { ...list, ...counts, Resources: found } };
}

/** One change after the other, each from what is looked at to what is written: no two of them undo each other. */
async function change(context: Context, request: ScimRequest): Promise<ScimAnswer> {
  const { app } = context;
  return app.records.transaction(async () => {
    // A group that is renamed takes what names it along.
    if (request.kind === 'Groups' && request.method !== 'POST') await changeNames(app);
    await lockResource(app, 'directory', 'provisioning');
    const resource = resourceFor(request, {});
    switch (request.method) {
      case 'POST':
        return { status: 201, body: await resource.write(resourceOf(request.body), context) };
      case 'PUT':
        return { status: 200, body: await resource.write(resourceOf(request.body), context) };
      case 'PATCH': {
        const members =
          request.kind === 'Groups'
            ? (await toGroups(app, [await ownGroup(app, request.id)]))[0]!.members!.map((one) => one.value)
            : [];
        const Operations = operationsOf(request.body, members);
        const schemas = ['urn:ietf:params:scim:api:messages:2.0:PatchOp'];
        const changed = Operations.length === 0 ? undefined : await resource.patch({ schemas, Operations }, context);
        return { status: 200, body: changed ?? (await resource.read(context)) };
      }
      default:
        await resource.dispose(context);
        return { status: 204, body: null };
    }
  });
}

/** One request of the directory, answered as the standard says. @see RFC 7644 */
export async function answerScim(
  asked: Omit<Context, 'failures' | 'isWanted'>,
  request: ScimRequest,
): Promise<ScimAnswer> {
  declareOnce(asked.app);
  const context = { ...asked, failures: [] as unknown[] };
  try {
    return request.method === 'GET' ? await read(context, request) : await change(context, request);
  } catch (error) {
    const [failure] = context.failures;
    if (failure !== undefined) throw failure;
    const known = asScimError(error);
    if (known instanceof SCIMMY.Types.Error)
      return { status: Number((known as { status?: number }).status), body: new SCIMMY.Messages.Error(known as never) };
    throw error;
  }
}

/** What this service understands. @see RFC 7643 section 5 */
export function scimConfig(app: App): unknown {
  declareOnce(app);
  return new SCIMMY.Schemas.ServiceProviderConfig(SCIMMY.Config.get() as never);
}
