import type { Context } from 'koa';
import { Refusal } from '@underbell/core/refusal';
import type { App } from './app.ts';
import type { AnyModel } from './records/index.ts';

/** How our own pages say which page is around them, as their browser told them. */
const hostHeader = 'Underbell-Host';

/** The origins that each row of a model names, every set of them once. */
export async function originSets(app: App, model: AnyModel): Promise<readonly (readonly string[])[]> {
  const found = await model(app).findAll({ attributes: ['origins'], group: ['origins'] });
  return found.map((row) => row.get('origins') as readonly string[]).filter((set) => set.length > 0);
}

/** The origin of the page around ours; undefined where there is none, or it is of this service. */
export function hostOf(app: App, ctx: Context): string | undefined {
  const host = ctx.get(hostHeader);
  return host === '' || host === new URL(app.settings.publicUrl).origin ? undefined : host;
}

/**
 * Refuses a page around that is not among those which may show something. Browsers keep out pages that no placement, folder,
 * chat or app names; which of them names this page's origin is said here, to those alone who may know of it.
 *
 * @throws {Refusal} `HOST_NOT_NAMED`
 */
export function requireHost(host: string | undefined, origins: readonly string[]): void {
  if (host === undefined || origins.includes(host)) return;
  throw new Refusal('HOST_NOT_NAMED', `A page of ${host.slice(0, 200)} cannot show this.`, {
    hint: 'The owner can add this origin.',
  });
}
