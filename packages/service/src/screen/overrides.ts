import type { PersonViewer } from '@underbell/core/access';
import { Refusal, type Problem } from '@underbell/core/refusal';
import type { ShownGroup, Slot } from '@underbell/core/screen';
import { notFound } from '../access/index.ts';
import { announce, holdName, one, remember, type App } from '../platform/index.ts';
import { checkSlot, pinned } from './playlists.ts';
import { misfitOf } from './slotCheck.ts';
import { requireGroup, showGroup } from './groups.ts';
import { screenInterruptions } from './models.ts';
import { listScreens } from './store.ts';

/** The longest that screens are interrupted for. */
const mostMs = 31 * 86_400_000;

/**
 * Lets all screens of a group show one thing now, before everything else, until an instant.
 *
 * @throws {Refusal} `PLAYLIST_MISFIT` with every screen that could not show it, `INPUT_INVALID`
 */
export async function interrupt(
  app: App,
  person: PersonViewer,
  group: string,
  wish: { readonly slot: Slot; readonly until: Date },
  origin: string,
): Promise<ShownGroup<Date>> {
  await requireGroup(app, person, group, 'edit');
  const { until } = wish;
  const now = app.now();
  if (until.getTime() <= now || until.getTime() > now + mostMs)
    throw new Refusal('INPUT_INVALID', 'An override ends within the next 31 days.', { pointer: '/until' });
  await checkSlot(app, person, wish.slot, '/slot');
  const slot = await pinned(app, wish.slot);
  const problems: Problem[] = [];
  for (const screen of await listScreens(app, [group])) {
    if (screen.endedAt !== null) continue;
    const why = await misfitOf(app, screen, { title: 'interruption', writerId: person.id }, slot);
    if (why !== undefined) problems.push({ at: '/slot', message: `Screen “${screen.name}”: ${why}` });
  }
  const [first] = problems;
  if (first) throw new Refusal('PLAYLIST_MISFIT', first.message, { pointer: first.at, problems });
  await app.records.transaction(async () => {
    await holdName(app, { kind: 'screen-group', name: group }, true);
    await screenInterruptions(app).create({
      groupName: group,
      slot,
      writerId: person.id,
      madeBy: person.email,
      madeAt: new Date(now),
      until,
      endedBy: null,
      endedAt: null,
    });
    const thing = `screen-group ${group}`;
    await remember(app, { who: person.email, what: 'override started', thing, origin, after: { slot, until } });
    await announce(app, { kind: 'screen-group', name: group });
  });
  return showGroup(app, person, group);
}

/** Ends an interruption before its time. */
export async function endInterruption(
  app: App,
  person: PersonViewer,
  group: string,
  id: number,
  origin: string,
): Promise<ShownGroup<Date>> {
  await requireGroup(app, person, group, 'edit');
  await app.records.transaction(async () => {
    const found = await one(screenInterruptions(app).findOne({ where: { id, groupName: group } }));
    if (!found) throw notFound('interruption', String(id), []);
    const [ended] = await screenInterruptions(app).update(
      { endedBy: person.email, endedAt: new Date(app.now()) },
      { where: { id, endedAt: null } as never },
    );
    if (ended === 0) return;
    const thing = `screen-group ${group}`;
    await remember(app, { who: person.email, what: 'override ended', thing, origin, before: found });
    await announce(app, { kind: 'screen-group', name: group });
  });
  return showGroup(app, person, group);
}
