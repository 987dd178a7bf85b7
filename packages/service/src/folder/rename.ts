import { isAtLeast, isPeopleKind, type PersonViewer, type RenamedKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { UniqueConstraintError } from 'sequelize';
import { namesSeen, notFound, requireAdministrator, rightsFor } from '../access/index.ts';
import {
  announce,
  changeNames,
  emit,
  forgetFormerName,
  redirects,
  giveName,
  isThing,
  lockResource,
  remember,
  type App,
  type Named,
  type ThingId,
} from '../platform/index.ts';
import { requireDecider } from './delete.ts';
import { type Redirect } from '@underbell/core/folder';

const nameTaken = (kind: string, word: string, cause?: unknown): Refusal =>
  new Refusal(
    'NAME_TAKEN',
    `A ${kind} named “${word}” already exists, here or in the trash.`,
    { pointer: '/name', word, hint: 'Use another name.' },
    ...(cause === undefined ? [] : [{ cause }]),
  );

/**
 * Gives a thing another name, in everything that names it: definitions, rights, favourites, tokens that live, what waits in
 * the queue. Whoever asks for it by its old name is led to it, until another thing is made under that name.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `NAME_TAKEN` also by what lies in the bin, `IN_USE` while it is worked with
 */
export async function rename(
  app: App,
  person: PersonViewer,
  thing: ThingId & { readonly kind: RenamedKind },
  to: string,
  origin: string,
): Promise<void> {
  const { kind, name } = thing;
  await requireDecider(app, person, thing);
  if (to === name) return;
  const seen = await namesSeen(app, person, kind);
  await app.records.transaction(async () => {
    await changeNames(app);
    // In one order, so that two who swap names do not wait for each other.
    for (const one of [name, to].sort()) await lockResource(app, kind, one);
    if (!(await isThing(app, thing))) throw notFound(kind, name, seen);
    if (await isThing(app, { kind, name: to }, { orBinned: true })) throw nameTaken(kind, to);
    const work = await app.things.work(thing);
    if (work.length > 0)
      throw new Refusal('IN_USE', `${work.join(', ')}; “${name}” cannot be renamed until that is done.`, {
        word: name,
        hint: 'Try again then.',
      });
    await giveName(app, thing, to).catch((error: unknown) => {
      // Made between the look and now.
      throw error instanceof UniqueConstraintError ? nameTaken(kind, to, error) : error;
    });
    await remember(app, {
      who: person.email,
      what: `${kind} renamed`,
      thing: `${kind} ${to}`,
      origin,
      before: { name },
      after: { name: to },
    });
    await announce(app, thing);
    await announce(app, { kind, name: to });
    await emit(app, 'thing.renamed', { thing, to });
  });
}

/** Former names of what a person may change, which lead to it still. */
export async function seenFormerNames(app: App, person: PersonViewer): Promise<Redirect[]> {
  const all = await redirects(app);
  const right = rightsFor(app, person);
  const seen = await Promise.all(
    all.map(async ({ kind, now: name }) =>
      isPeopleKind(kind) ? person.isAdministrator : isAtLeast(await right({ kind, name }), 'edit'),
    ),
  );
  return all.filter((_, i) => seen[i]);
}

/** Lets go of a former name: it leads nowhere any more, and another thing may have it. @throws {Refusal} `NOT_FOUND` */
export async function dropFormerName(app: App, person: PersonViewer, thing: Named, origin: string): Promise<void> {
  const { kind, name } = thing;
  const known = (await seenFormerNames(app, person)).find((one) => one.kind === kind && one.name === name);
  if (!known) throw notFound(`former name of a ${kind}`, name, []);
  if (isPeopleKind(kind)) requireAdministrator(person);
  else await requireDecider(app, person, { kind, name: known.now });
  await app.records.transaction(async () => {
    await forgetFormerName(app, thing);
    await remember(app, {
      who: person.email,
      what: 'redirect deleted',
      thing: `${kind} ${known.now}`,
      origin,
      before: { name },
    });
  });
}
