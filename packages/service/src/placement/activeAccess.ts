import { placementLabel, type ShownPlacement } from '@underbell/core/placement';
import type { AccessProvider } from '../platform/index.ts';
import { endPublicLink, openPublicLinks } from './public.ts';
import { seenPlacements, suspendPlacement } from './usecases.ts';

/** Who sees a placement, in words. */
function holdersOf({ kind, origins }: Pick<ShownPlacement, 'kind' | 'origins'>): string {
  if (kind === 'channel') return 'members of its channel, and users with a permission on its content';
  return origins.length > 0 ? `pages of ${origins.join(', ')}` : 'users with a permission on its content';
}

/** Placements that somebody may change, and that do not rest. */
export const placementDoors: AccessProvider = {
  kind: 'placement',
  async list(app, person) {
    const all = await seenPlacements(app, person);
    return all
      .filter((one) => one.use !== undefined && one.suspendedAt === undefined)
      .map((one) => ({
        id: one.name,
        title: one.title,
        to: holdersOf(one),
        of:
          one.board === undefined
            ? { kind: 'report' as const, name: one.report! }
            : { kind: 'board' as const, name: one.board },
        limits: [
          placementLabel(one),
          ...Object.values(one.where),
          ...Object.entries(one.parameters).map((pair) => pair.join(' is ')),
        ].join('; '),
        madeBy: one.madeBy ?? null,
        madeAt: one.madeAt ?? null,
        lastUsedAt: one.use!.lastSeenAt,
        endsAt: null,
        ending: 'The placement is suspended until you resume it.',
        mayEnd: true,
      }));
  },
  end: (app, person, id, origin) => suspendPlacement(app, person, id, true, origin),
};

/** Links that show something to everybody who knows them. */
export const publicLinkDoors: AccessProvider = {
  kind: 'public link',
  list: async (app, person) =>
    (await openPublicLinks(app, person)).map((one) => ({
      id: one.id,
      title: one.note,
      to: 'anyone with the link',
      of: { kind: 'placement' as const, name: one.placement },
      limits: one.closed === undefined ? 'without signing in; views only' : `shows nothing now: ${one.closed}`,
      madeBy: one.madeBy,
      madeAt: one.madeAt,
      lastUsedAt: one.lastViewedAt,
      endsAt: one.until,
      ending: 'The link stops working for everyone.',
      mayEnd: true,
    })),
  end: endPublicLink,
};
