import { kindInfo, isAtLeast, type PersonViewer, type TakenAwayKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { ForeignKeyConstraintError } from 'sequelize';
import { namesSeen, notFound, requireRight, rightOn, rightsFor } from '../access/index.ts';
import {
  announce,
  emit,
  deleteResourceData,
  changeNames,
  lockResource,
  remember,
  userOf,
  type App,
  type ThingId,
  type ThingUse,
} from '../platform/index.ts';

const stillNeeded = ({ kind, name }: ThingId, users: readonly string[], cause?: unknown): Refusal =>
  new Refusal(
    'IN_USE',
    `The ${kind} “${name}” is used by ${users.slice(0, 5).join(', ')}.`,
    {
      word: name,
      problems: users.map((at) => ({ at, message: `needs the ${kind}` })),
      hint: 'Change or delete those first.',
    },
    ...(cause === undefined ? [] : [{ cause }]),
  );

/** What is not seen by whoever asks is told of without its name. */
async function shownUsers(app: App, person: PersonViewer, uses: readonly ThingUse[]): Promise<string[]> {
  const right = rightsFor(app, person);
  const shown = await Promise.all(
    uses.map(async ({ by: { kind, name } }) => kind === 'run' || (await right({ kind, name })) !== undefined),
  );
  const seen = [...new Set(uses.filter((_, i) => shown[i]).map(userOf))];
  return shown.every(Boolean) ? seen : [...seen, 'something that you do not see'];
}

async function refuseUsed(app: App, person: PersonViewer, thing: ThingId): Promise<void> {
  const uses = await app.things.dependentsOf(thing);
  if (uses.length > 0) throw stillNeeded(thing, await shownUsers(app, person, uses));
}

/**
 * Whoever owns a thing takes it away or gives it another name; for one that is decided with another, so does whoever may
 * change that.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `IN_USE` for one that stays as it is
 */
export async function requireDecider(app: App, person: PersonViewer, { kind, name }: ThingId): Promise<void> {
  const other = await app.things.decidedWith({ kind, name });
  if (!other || !isAtLeast(await rightOn(app, person, other.kind, other.name), 'edit'))
    await requireRight(app, person, 'own', kind, name);
  const why = app.things.table(kind).stays?.(name);
  if (why !== undefined) throw new Refusal('IN_USE', why, { word: name });
}

/** @returns whether there was such a thing */
async function remove(app: App, { kind, name }: ThingId): Promise<boolean> {
  const table = app.things.table(kind).model(app);
  const isKept = kindInfo(kind).deletion === 'kept';
  const removing = isKept
    ? table
        .update({ deletedAt: new Date(app.now()) }, { where: { name, deletedAt: null } })
        .then(([changed]) => changed)
    : table.destroy({ where: { name } });
  const removed = await removing.catch((error: unknown) => {
    // Something came to need it between the look and now.
    if (error instanceof ForeignKeyConstraintError)
      throw stillNeeded({ kind, name }, ['something that was just made'], error);
    throw error;
  });
  return removed > 0;
}

/**
 * Takes a thing away for good. What needs it keeps it there. Rights on it go with it, unless something of it stays: a ledger.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `IN_USE`
 */
export async function takeAway(
  app: App,
  person: PersonViewer,
  thing: ThingId & { readonly kind: TakenAwayKind },
  origin: string,
): Promise<void> {
  const { kind, name } = thing;
  await requireDecider(app, person, thing);
  const seen = await namesSeen(app, person, kind);
  await app.records.transaction(async () => {
    await changeNames(app);
    await lockResource(app, kind, name);
    await refuseUsed(app, person, thing);
    if (!(await remove(app, thing))) throw notFound(kind, name, seen);
    if (kindInfo(kind).deletion !== 'kept') await deleteResourceData(app, thing);
    await remember(app, { who: person.email, what: `${kind} deleted`, thing: `${kind} ${name}`, origin });
    await announce(app, thing);
    await emit(app, 'thing.gone', { thing });
  });
}
