import type { App, Capability, Named } from '../platform/index.ts';
import { destinationRoutes } from './routes.ts';
import { forgetOldTurns, isOwnMail } from './store.ts';

async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind === 'destination')
    await app.records.query('UPDATE deliveries SET destination = $to WHERE destination = $from', {
      bind: { from: name, to },
    });
}

/** Where copies go, and letters of the service's own. */
export const deliver: Capability = {
  name: 'deliver',
  routes: destinationRoutes,
  things: [
    {
      kind: 'destination',
      table: 'destinations',
      stays: (name) => (isOwnMail(name) ? 'the installation’s own mail host stays as it is' : undefined),
    },
  ],
  references: { follow },
  // Letters do not wait behind a long run.
  jobs: [{ 'notice.mail': async (of, job) => (await import('./notice.ts')).sendNotice(of, job) }],
  clock: [{ everyMs: 15_000, work: forgetOldTurns }],
};
