import { keysAfter, nameAfter, type Renaming } from '../access/names.ts';
import type { BurstDefinition } from './definition.ts';
import type { BurstDestination } from './destination.ts';

/** A burst's definition after it, or something that it needs, was given another name. */
export function renamedInBurst(burst: BurstDefinition, thing: Renaming, to: string): BurstDefinition {
  const { template, where, rows, destination } = burst;
  const place = destination.to === undefined ? {} : { to: nameAfter(destination.to, 'destination', thing, to) };
  return {
    ...burst,
    name: nameAfter(burst.name, 'burst', thing, to),
    report: nameAfter(burst.report, 'report', thing, to),
    list: nameAfter(burst.list, 'list', thing, to),
    ...(template === undefined ? {} : { template: nameAfter(template, 'template', thing, to) }),
    ...(where ? { where: keysAfter(where, 'dataset', thing, to) } : {}),
    ...(rows?.dataset === undefined
      ? {}
      : { rows: { ...rows, dataset: nameAfter(rows.dataset, 'dataset', thing, to) } }),
    destination: { ...destination, ...place } as BurstDestination,
  };
}
