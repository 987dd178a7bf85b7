import { renameElement, renameKey, renameWord, type App, type Capability, type Named } from '../platform/index.ts';
import { tokenRoutes } from './routes.ts';
import { clients, signingKeys, accessTokens } from './models.ts';
import { tokenDoors } from './activeAccess.ts';

/** What tokens that live still let their holders see, and what programs may ask for, by the names of today. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  const from = name;
  if (kind === 'report') await renameElement(app, { model: clients, column: 'bounds', path: ['reports'], from, to });
  if (kind === 'report' || kind === 'placement')
    await renameWord(app, { model: accessTokens, column: 'details', path: [kind], from, to });
  if (kind === 'dataset') await renameKey(app, { model: accessTokens, column: 'details', path: ['where'], from, to });
}

/** Programs, and the access tokens that they show reports with. */
export const token: Capability = {
  name: 'token',
  doors: tokenDoors,
  models: [clients, signingKeys, accessTokens],
  routes: tokenRoutes,
  things: [{ kind: 'client', model: clients, key: 'id' }],
  references: { follow },
};
