import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { nextInstants } from '@underbell/core/schedule';
import { notFound, requireRight } from '../access/index.ts';
import { changeDataset, type RefreshSchedule } from '../dataset/index.ts';
import { enqueue, fingerprint, randomKey, remember, type App } from '../platform/index.ts';
import { requireDataset } from './usecases.ts';
import { findHook } from '../dataset/index.ts';

/** Sets when a snapshot is loaded anew, or that it is not by itself. */
export async function schedule(
  app: App,
  person: PersonViewer,
  name: string,
  wanted: RefreshSchedule | null,
  origin: string,
) {
  await requireRight(app, person, 'edit', 'dataset', name);
  const row = await requireDataset(app, name);
  if (wanted && (row.kind === 'live' || row.sourceName === null))
    throw new Refusal('DATASET_INVALID', `Dataset “${name}” cannot be refreshed automatically.`, {
      hint: row.kind === 'live' ? 'A live dataset is always current.' : 'It comes from a file.',
    });
  const [next] = wanted ? nextInstants(wanted, app.now()) : [];
  if (wanted && next === undefined)
    throw new Refusal('SCHEDULE_NEVER', 'This recurrence has no occurrences.', { pointer: 'rule', word: wanted.rule });
  const nextRefreshAt = next === undefined ? null : new Date(next);
  await app.records.transaction(async () => {
    await changeDataset(app, name, { schedule: wanted, nextRefreshAt });
    const entry = {
      who: person.email,
      what: 'refresh scheduled',
      thing: `dataset ${name}`,
      origin,
      before: row.schedule,
      after: wanted,
    };
    await remember(app, entry);
  });
  return { name, nextRefreshAt };
}

/** Makes the address that loads a dataset when it is called, or takes it away. The key is shown once. */
export async function makeHook(
  app: App,
  person: PersonViewer,
  name: string,
  isWanted: boolean,
  origin: string,
): Promise<{ url?: string }> {
  await requireRight(app, person, 'edit', 'dataset', name);
  await requireDataset(app, name);
  const key = isWanted ? randomKey('ubr') : undefined;
  await app.records.transaction(async () => {
    await changeDataset(app, name, { hookFingerprint: key ? fingerprint(key) : null });
    const what = isWanted ? 'refresh webhook created' : 'refresh webhook deleted';
    await remember(app, { who: person.email, what, thing: `dataset ${name}`, origin });
  });
  return key ? { url: `${app.settings.publicUrl}/api/v1/webhooks/refresh/${key}` } : {};
}

/** A call of the refresh address: the loading starts in the background. @throws {Refusal} `NOT_FOUND` */
export async function callHook(app: App, key: string): Promise<void> {
  const name = await findHook(app, fingerprint(key));
  if (name === undefined) throw notFound('refresh address', '', []);
  await enqueue(app, 'dataset.refresh', { name, cause: 'webhook' });
}
