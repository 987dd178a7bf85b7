import type { App, Capability, Named } from '../platform/index.ts';
import { warnOfCosts } from './limits.ts';
import { meterRoutes } from './routes.ts';
import { meterRows, costLimits } from './models.ts';

/** Kinds whose costs are added up under their names. */
const metered = ['report', 'board', 'burst', 'placement', 'dataset'];

async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (metered.includes(kind)) await meterRows(app).update({ [kind]: to }, { where: { [kind]: name } });
}

/** What views, refreshes and deliveries cost, and how much they may. */
export const usage: Capability = {
  name: 'usage',
  models: [meterRows, costLimits],
  routes: meterRoutes,
  references: { follow },
  clock: [{ everyMs: 60_000, work: warnOfCosts }],
};
