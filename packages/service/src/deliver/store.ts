import { Op } from 'sequelize';
import { ownMail } from '@underbell/core/burst';
import { all, one, type App } from '../platform/index.ts';
import { destinations, type DestinationRow } from './models.ts';

export async function findDestination(app: App, name: string): Promise<DestinationRow | undefined> {
  return one(destinations(app).findByPk(name));
}

export async function listDestinations(app: App): Promise<DestinationRow[]> {
  return all(destinations(app).findAll({ order: ['name'] }));
}

export async function putDestination(
  app: App,
  row: Pick<DestinationRow, 'name' | 'kind' | 'address' | 'sealed' | 'rates' | 'parallel'>,
): Promise<void> {
  const fresh = { state: 'ready', reason: null, stateAt: null, failures: 0, testedAt: null, testError: null } as const;
  await destinations(app).upsert({ ...row, ...fresh });
}

export async function changeDestination(app: App, name: string, change: Partial<DestinationRow>): Promise<void> {
  await destinations(app).update(change, { where: { name } });
}

export async function noteTest(app: App, name: string, testError: string | null): Promise<void> {
  await changeDestination(app, name, { testedAt: new Date(app.now()), testError });
}

/** Notes that it took a copy: failures count in a row. */
export async function noteSuccess(app: App, name: string): Promise<void> {
  await destinations(app).update(
    { failures: 0, state: 'ready', reason: null, stateAt: null },
    { where: { name, state: { [Op.ne]: 'paused' }, failures: { [Op.gt]: 0 } } },
  );
}

export const isOwnMail = (name: string): boolean => name === ownMail;
