import { checkSwaps } from '@underbell/core/placement';
import { checkPlacementFilter } from '@underbell/core/access';
import {
  lostBy,
  renameKey,
  type App,
  type Capability,
  type ColumnsChange,
  type Impact,
  type Named,
  type ThingUse,
  originSets,
} from '../platform/index.ts';
import { publicRoutes } from './publicRoutes.ts';
import { placeRoutes } from './routes.ts';
import { findPlacement, listPlacements } from './store.ts';
import { placeViewRoutes } from './viewRoutes.ts';
import { placementHosts, placementProblems, placements, publicLinks } from './models.ts';
import { shownResource } from './placementView.ts';
import { placementDoors, publicLinkDoors } from './activeAccess.ts';

const uses = async (app: App): Promise<ThingUse[]> =>
  (await listPlacements(app)).flatMap((placement) => {
    const { name, editionNumber, page, firstPage, figure, parameters, look } = placement;
    const shows = page ?? firstPage;
    const use = {
      by: { kind: 'placement', name },
      of: shownResource(placement),
      what: 'shows it',
      ...(editionNumber === null ? {} : { edition: editionNumber }),
      part: {
        parameters: Object.keys(parameters),
        ...(shows === null ? {} : { page: shows }),
        ...(figure === null ? {} : { figure }),
      },
    } satisfies ThingUse;
    // Each figure that it chose is one that it would lose.
    const chosen = look.figures?.map((one) => ({ ...use, part: { ...use.part, figure: one } })) ?? [];
    return chosen.length > 0 ? chosen : [use];
  });

async function losses(app: App, change: ColumnsChange): Promise<Impact[]> {
  return (await listPlacements(app)).flatMap(({ name, conditions, swaps }) => {
    const text = conditions[change.before.name];
    if (text === undefined && swaps[change.before.name] === undefined) return [];
    return lostBy(change, `placement ${name}`, (shape) => {
      if (text !== undefined) checkPlacementFilter(text, shape);
      checkSwaps(swaps, shape);
    });
  });
}

/** Conditions are kept by the datasets that they limit. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind !== 'dataset') return;
  for (const column of ['conditions', 'swaps']) await renameKey(app, { model: placements, column, from: name, to });
}

/** Reports and boards where their readers are. */
export const placement: Capability = {
  name: 'placement',
  doors: [placementDoors, publicLinkDoors],
  framers: (app) => originSets(app, placements),
  models: [placements, placementHosts, placementProblems, publicLinks],
  routes: [...placeRoutes, ...publicRoutes, ...placeViewRoutes],
  things: [
    {
      kind: 'placement',
      model: placements,
      async decidedWith(app, name) {
        const placement = await findPlacement(app, name);
        return placement && shownResource(placement);
      },
    },
  ],
  references: { uses, losses, follow },
};
