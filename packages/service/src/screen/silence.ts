import { Op } from 'sequelize';
import { silentMs } from '@underbell/core/screen';
import { ownersOf } from '../access/index.ts';
import { emit, enqueue, type App, type Job } from '../platform/index.ts';
import { screenStates } from './models.ts';
import { listScreens, noteHistory } from './store.ts';

/** Finds screens that said nothing for too long; each silence is told once, those of a group together. */
export async function tellSilent(app: App): Promise<void> {
  const now = app.now();
  const late = { [Op.lt]: new Date(now - silentMs) };
  const found = await screenStates(app).findAll({ where: { beatAt: late, toldSilentAt: null } as never });
  if (found.length === 0) return;
  const names = found.map((row) => row.get('screenName') as string);
  const groups = new Map(
    (await listScreens(app)).filter((one) => one.endedAt === null).map((one) => [one.name, one.groupName]),
  );
  await app.records.transaction(async () => {
    // Another process may have told of some meanwhile: what was marked here is told here.
    const [, marked] = (await screenStates(app).update(
      { toldSilentAt: new Date(now) },
      { where: { screenName: names, beatAt: late, toldSilentAt: null } as never, returning: true },
    )) as unknown as [number, { get(name: string): string }[]];
    const byGroup = new Map<string, string[]>();
    for (const row of marked) {
      const name = row.get('screenName');
      const group = groups.get(name);
      if (group === undefined) continue;
      await noteHistory(app, name, 'silent');
      byGroup.set(group, [...(byGroup.get(group) ?? []), name]);
    }
    for (const [group, silent] of byGroup) await emit(app, 'screen.silent', { group, screens: silent.sort() });
  });
}

const listedMost = 20;

/** Writes to those who look after the group. */
export async function mailSilent(app: App, job: Job): Promise<void> {
  const { group, screens: names } = job.payload as { group: string; screens: string[] };
  const subject = names.length === 1 ? `${names[0]!} is silent` : `${names.length} screens of ${group} are silent`;
  const more = names.length > listedMost ? `\n… and ${names.length - listedMost} more` : '';
  const text = `No word for more than two minutes from:\n\n${names.slice(0, listedMost).join('\n')}${more}\n\nThey play on with what they keep, as long as they may.\n${app.settings.publicUrl}/console/screens\n`;
  const owners = await ownersOf(app, 'screen-group', group);
  // All of them or none: what is tried again writes to nobody twice.
  await app.records.transaction(async () => {
    for (const { email } of owners) await enqueue(app, 'notice.mail', { to: email, subject, text });
  });
}
