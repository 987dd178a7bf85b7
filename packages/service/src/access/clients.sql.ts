import { querySql, type App } from '../platform/index.ts';

// Programs are the affair of who hands out tokens, which stands on this: that one is active is all that is known here.

export async function isActiveClient(app: App, id: string): Promise<boolean> {
  return (await querySql(app, `SELECT FROM clients WHERE id = $id AND state = 'active'`, { id })).length > 0;
}
