import { Op } from 'sequelize';
import { silentMs } from '@underbell/core/screen';
import { ownersOf } from '../access/index.ts';
import { emit, enqueue, rows, type App, type Job } from '../platform/index.ts';
import { screenStates } from './models.ts';
import { listGroups, listScreens, noteHistory } from './store.ts';

/** What is told of screens: that they say nothing, or that what is on them is old. */
const trouble = {
  silent: { event: 'screen.silent', mark: 'toldSilentAt' },
  stale: { event: 'screen.stale', mark: 'toldStaleAt' },
} as const;
type Trouble = keyof typeof trouble;

/** Tells of screens once, those of a group together. */
async function tell(app: App, what: Trouble, names: readonly string[]): Promise<void> {
  if (names.length === 0) return;
  const { event, mark } = trouble[what];
  const groups = new Map(
    (await listScreens(app)).filter((one) => one.endedAt === null).map((one) => [one.name, one.groupName]),
  );
  await app.records.transaction(async () => {
    // Another process may have told of some meanwhile: what was marked here is told here.
    const [, marked] = (await screenStates(app).update(
      { [mark]: new Date(app.now()) },
      { where: { screenName: [...names], [mark]: null } as never, returning: true },
    )) as unknown as [number, { get(name: string): string }[]];
    const byGroup = new Map<string, string[]>();
    for (const row of marked) {
      const name = row.get('screenName');
      const group = groups.get(name);
      if (group === undefined) continue;
      await noteHistory(app, name, what);
      byGroup.set(group, [...(byGroup.get(group) ?? []), name]);
    }
    for (const [group, screens] of byGroup) await emit(app, event, { group, screens: screens.sort() });
  });
}

/** Finds screens that said nothing for too long. */
async function tellSilent(app: App): Promise<void> {
  const late = { [Op.lt]: new Date(app.now() - silentMs) };
  const found = await rows(screenStates(app), { where: { beatAt: late, toldSilentAt: null } as never });
  await tell(
    app,
    'silent',
    found.map((one) => one.screenName),
  );
}

/** Finds screens whose figures are older than their group's limit; it is told anew after they were fresh again. */
async function tellStale(app: App): Promise<void> {
  const now = app.now();
  const worryMs = new Map((await listGroups(app)).map((one) => [one.name, one.worryMinutes * 60_000]));
  const groupOf = new Map((await listScreens(app)).map((one) => [one.name, one.groupName]));
  const heard = await rows(screenStates(app), { where: { beatAt: { [Op.gte]: new Date(now - silentMs) } } as never });
  const isStale = ({ screenName, shown }: (typeof heard)[number]): boolean => {
    const limit = worryMs.get(groupOf.get(screenName) ?? '');
    return limit !== undefined && typeof shown.asOf === 'number' && now - shown.asOf > limit;
  };
  const fresh = heard.filter((one) => one.toldStaleAt !== null && typeof one.shown.asOf === 'number' && !isStale(one));
  if (fresh.length > 0)
    await screenStates(app).update(
      { toldStaleAt: null },
      { where: { screenName: fresh.map((one) => one.screenName) } },
    );
  const stale = heard.filter((one) => one.toldStaleAt === null && isStale(one));
  await tell(
    app,
    'stale',
    stale.map((one) => one.screenName),
  );
}

/** Looks for screens with which something is wrong, and tells of each once. */
export async function sendAlerts(app: App): Promise<void> {
  await tellSilent(app);
  await tellStale(app);
}

const listedMost = 20;

/** Writes to those who look after the group. */
async function mail(app: App, job: Job, what: string, words: string): Promise<void> {
  const { group, screens: names } = job.payload as { group: string; screens: string[] };
  const subject = names.length === 1 ? `${what}: ${names[0]!}` : `${what}: ${names.length} screens of ${group}`;
  const more = names.length > listedMost ? `\n… and ${names.length - listedMost} more` : '';
  const text = `${words}\n\n${names.slice(0, listedMost).join('\n')}${more}\n\n${app.settings.publicUrl}/console/screens\n`;
  const owners = await ownersOf(app, 'screen-group', group);
  // All of them or none: what is tried again writes to nobody twice.
  await app.records.transaction(async () => {
    for (const { email } of owners) await enqueue(app, 'notice.mail', { to: email, subject, text });
  });
}

export const mailOffline = (app: App, job: Job): Promise<void> =>
  mail(
    app,
    job,
    'Screen offline',
    'No heartbeat for more than two minutes. These screens continue with stored content until the offline limit:',
  );

export const mailKeyReused = (app: App, job: Job): Promise<void> =>
  mail(
    app,
    job,
    'Screen unpaired (key used by two devices)',
    'The storage of the device was copied or restored from a backup. Check the device, then pair the right one again:',
  );

export const mailStale = (app: App, job: Job): Promise<void> =>
  mail(app, job, 'Data out of date', 'The data on these screens exceeds the limit of their group:');
