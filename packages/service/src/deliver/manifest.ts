import type { App, Capability, Named } from '../platform/index.ts';
import { followDestination } from './deliveryLog.ts';
import { destinationRoutes } from './routes.ts';
import { isOwnMail } from './store.ts';
import { destinations, destinationTurns, deliveries, copyLinks } from './models.ts';
import { deleteOldSends } from './rateLimit.sql.ts';
import { destinationDoors } from './activeAccess.ts';

async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind === 'destination') await followDestination(app, name, to);
}

/** Where copies go, and letters of the service's own. */
export const deliver: Capability = {
  name: 'deliver',
  doors: [destinationDoors],
  models: [destinations, destinationTurns, deliveries, copyLinks],
  routes: destinationRoutes,
  things: [
    {
      kind: 'destination',
      model: destinations,
      stays: (name) => (isOwnMail(name) ? 'the installation’s own mail host stays as it is' : undefined),
    },
  ],
  references: { follow },
  // Letters do not wait behind a long run.
  jobs: [
    { 'notice.mail': async (of, job) => (await import('./notice.ts')).sendNotice(of, job) },
    // One that hangs holds nothing else up.
    { 'destination.look': async (...job) => (await import('./usecases.ts')).lookJob(...job) },
  ],
  clock: [{ everyMs: 15_000, work: deleteOldSends }],
};
