import type { AccessProvider } from '../platform/index.ts';
import { isOwnMail } from './store.ts';
import { pauseDestination, seenDestinations } from './usecases.ts';

/** Where copies may go: libraries, programs and mail hosts that are not paused. */
export const destinationDoors: AccessProvider = {
  kind: 'destination',
  async list(app, person) {
    const all = await seenDestinations(app, person);
    return all
      .filter((one) => one.state !== 'paused' && !isOwnMail(one.name))
      .map((one) => ({
        id: one.name,
        title: one.name,
        to: one.address,
        of: { kind: 'destination' as const, name: one.name },
        limits: [one.kind, ...one.limits].join('; '),
        madeBy: null,
        madeAt: null,
        lastUsedAt: null,
        endsAt: null,
        ending: 'The destination is paused; runs wait.',
        mayEnd: true,
      }));
  },
  end: (app, person, id, origin) => pauseDestination(app, person, id, { isPaused: true, origin }),
};
