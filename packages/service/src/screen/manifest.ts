import { checkScreenFilter } from '@underbell/core/access';
import { renamedInPlaylist, type PlaylistDefinition } from '@underbell/core/screen';
import { isDeepStrictEqual } from 'node:util';
import type { Model } from 'sequelize';
import {
  announce,
  lostBy,
  type App,
  type Capability,
  type ColumnsChange,
  type Impact,
  type Named,
  type ThingUse,
} from '../platform/index.ts';
import { screenDoors } from './activeAccess.ts';
import { isBoard, isMedia, slotRequestsOf } from './slotCheck.ts';
import { attributeSamples, declaredAttributes } from './groups.ts';
import { giveFirstKey, renewKey } from './keys.ts';
import { playlistRevisions, playlists, playlistTargets, screenGroups, screenModels, screens } from './models.ts';
import { mountPictures } from './imageMode/imageModeRoutes.ts';
import { playRoutes } from './playRoutes.ts';
import { screenAdminRoutes } from './routes.ts';
import { mailKeyReused, mailOffline, mailStale, sendAlerts } from './alerts.ts';
import { findScreen, listPlaylists, listRevisions, listTargets } from './store.ts';

const silenceMs = 20_000;

/** Playlists as they are written, and as they stand on screens. */
async function definitions(app: App): Promise<{ readonly name: string; readonly definition: PlaylistDefinition }[]> {
  const written = await listPlaylists(app);
  const found = written.map(({ name, definition }) => ({ name, definition }));
  const shown = new Set((await listTargets(app)).map((one) => `${one.playlistName} ${one.revisionNumber}`));
  for (const { name } of written)
    for (const one of await listRevisions(app, name))
      if (shown.has(`${name} ${one.number}`)) found.push({ name, definition: one.definition });
  return found;
}

const keyOf = (value: object) => JSON.stringify(value);
const once = <T extends object>(all: readonly T[]): T[] => [...new Map(all.map((one) => [keyOf(one), one])).values()];

const uses = async (app: App): Promise<ThingUse[]> =>
  once(
    (await definitions(app)).flatMap(({ name, definition }) =>
      definition.slots.flatMap((slot): ThingUse[] => {
        const by = { kind: 'playlist', name } as const;
        const what = 'shows it';
        if (isBoard(slot)) return [{ by, of: { kind: 'board', name: slot.shows.board }, what }];
        if (isMedia(slot)) return [{ by, of: { kind: 'media', name: slot.shows.media }, what }];
        return slotRequestsOf(slot).map(({ report, page, figure, parameters }) => {
          const part = {
            parameters: Object.keys(parameters ?? {}),
            ...(page === undefined ? {} : { page }),
            ...(figure === undefined ? {} : { figure }),
          };
          return { by, of: { kind: 'report', name: report }, what, part };
        });
      }),
    ),
  );

async function losses(app: App, change: ColumnsChange): Promise<Impact[]> {
  const declared = await declaredAttributes(app);
  const sample = (name: string) => {
    const attribute = declared.find((one) => one.name === name);
    return attribute && [attributeSamples[attribute.type]];
  };
  return once(
    (await definitions(app)).flatMap(({ name, definition }) =>
      definition.slots.flatMap((slot) => {
        const all = [slot, ...slotRequestsOf(slot)].flatMap((one) => one.where?.[change.before.name] ?? []);
        return [...new Set(all)].flatMap((text) =>
          lostBy(change, `playlist ${name}`, (shape) => void checkScreenFilter(text, shape, sample)),
        );
      }),
    ),
  );
}

/** Playlists, and what was published of them, say the names of today; so do those to which they were published. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind === 'screen' || kind === 'screen-group')
    await playlistTargets(app).update({ targetName: to }, { where: { targetKind: kind, targetName: name } });
  if (kind === 'group' || kind === 'attribute') return;
  const rewritten = (definition: PlaylistDefinition) => renamedInPlaylist(definition, { kind, name }, to);
  const touched = new Set<string>();
  for (const row of [...(await playlists(app).findAll()), ...(await playlistRevisions(app).findAll())]) {
    const definition = (row as Model).get('definition') as PlaylistDefinition;
    const now = rewritten(definition);
    if (isDeepStrictEqual(now, definition)) continue;
    await (row as Model).update({ definition: now });
    touched.add(now.name);
  }
  for (const one of touched) await announce(app, { kind: 'playlist', name: one });
  if (kind === 'screen' || kind === 'screen-group' || kind === 'playlist') await announce(app, { kind, name: to });
}

/** Display screens: pairing, playlists, what each shows and says. */
export const screen: Capability = {
  name: 'screen',
  models: screenModels,
  doors: [screenDoors],
  routes: [...screenAdminRoutes, ...playRoutes],
  mount: mountPictures,
  things: [
    { kind: 'playlist', model: playlists },
    { kind: 'screen-group', model: screenGroups },
    {
      kind: 'screen',
      model: screens,
      async decidedWith(app, name) {
        const row = await findScreen(app, name);
        return row && { kind: 'screen-group', name: row.groupName };
      },
    },
  ],
  references: { uses, losses, follow },
  tokenGrants: {
    'urn:ietf:params:oauth:grant-type:device_code': giveFirstKey,
    refresh_token: renewKey,
  },
  clock: [{ everyMs: silenceMs, work: sendAlerts }],
  hears: { 'screen.silent': mailOffline, 'screen.stale': mailStale, 'screen.copied': mailKeyReused },
};
