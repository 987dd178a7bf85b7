import type { App, Capability, Named, ThingUse } from '../platform/index.ts';
import { listRoutes } from './routes.ts';
import { listLists, rewriteOrigins } from './store.ts';
import { lists, listRows } from './models.ts';

const uses = async (app: App): Promise<ThingUse[]> =>
  (await listLists(app)).flatMap(({ name, origin }) =>
    origin && 'dataset' in origin
      ? [{ by: { kind: 'list', name }, of: { kind: 'dataset', name: origin.dataset }, what: 'is read from it' }]
      : [],
  );

/** Lists are read from a dataset, or from a group and an attribute of its people. */
const originKeys: Partial<Record<Named['kind'], 'dataset' | 'group' | 'each'>> = {
  dataset: 'dataset',
  group: 'group',
  attribute: 'each',
};

async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  const key = originKeys[kind];
  if (key) await rewriteOrigins(app, key, name, to);
}

/** Who gets copies, and what each of them is cut by. */
export const list: Capability = {
  name: 'list',
  models: [lists, listRows],
  routes: listRoutes,
  things: [{ kind: 'list', model: lists }],
  references: { uses, follow },
};
