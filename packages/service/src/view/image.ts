import type { PersonViewer } from '@underbell/core/access';
import { requireRight } from '../access/index.ts';
import type { App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { drawPng } from '../render/index.ts';
import { sceneOf } from './exports.ts';
import { prepare } from './prepare.ts';

/** A page of any edition as a picture, as one person may see it. */
export async function pictureOf(
  app: App,
  person: PersonViewer,
  name: string,
  wish: { edition: number; page?: string },
): Promise<Buffer> {
  await requireRight(app, person, 'edit', 'report', name);
  const edition = await findEdition(app, name, wish.edition);
  const request = { choices: [], parameters: {}, ...(wish.page === undefined ? {} : { page: wish.page }) };
  const view = await prepare(app, { viewer: person, edition, request, fixed: [] });
  return drawPng(await sceneOf(app, view, undefined));
}
