import type { Capability, Named } from '../platform/index.ts';
import type { App } from '../platform/index.ts';
import { warnOfCosts } from './limits.ts';
import { meterRoutes } from './routes.ts';

/** Kinds whose costs are added up under their names. */
const metered = ['report', 'burst', 'placement', 'dataset'];

async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (metered.includes(kind))
    await app.records.query(`UPDATE meter SET ${kind} = $to WHERE ${kind} = $from`, { bind: { from: name, to } });
}

/** What views, refreshes and deliveries cost, and how much they may. */
export const meter: Capability = {
  name: 'meter',
  routes: meterRoutes,
  references: { follow },
  clock: [{ everyMs: 60_000, work: warnOfCosts }],
};
