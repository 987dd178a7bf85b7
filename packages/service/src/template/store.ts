import { col, fn, type FindAttributeOptions } from 'sequelize';
import type { ShownTemplate } from '@underbell/core/template';
import { highest, lockResource, rows, type App } from '../platform/index.ts';
import { templates } from './models.ts';

export type TemplateRow = ShownTemplate<Date>;
export type TemplateSummary = TemplateRow['summary'];

/** Everything but the bytes: how many there are. */
const shown: FindAttributeOptions = {
  exclude: ['bytes'],
  include: [[fn('length', col('bytes')), 'sizeBytes']],
};

/** A template's newest version, or the one asked for. */
export async function findTemplate(app: App, name: string, version?: number): Promise<TemplateRow | undefined> {
  const where = { name, ...(version === undefined ? {} : { version }) };
  const [row] = await rows(templates(app), { attributes: shown, where, order: [['version', 'DESC']], limit: 1 });
  return row as TemplateRow | undefined;
}

export async function templateBytes(app: App, name: string, version: number): Promise<Buffer> {
  const [row] = await rows(templates(app), { attributes: ['bytes'], where: { name, version } });
  if (!row) throw new Error(`version ${version} of the template ${name} has vanished`);
  return row.bytes;
}

/** The newest version of each. */
export async function listTemplates(app: App): Promise<TemplateRow[]> {
  const found = (await rows(templates(app), {
    attributes: shown,
    order: ['name', ['version', 'DESC']],
  })) as unknown as TemplateRow[];
  return found.filter(({ name }, i) => name !== found[i - 1]?.name);
}

/** Stores the next version; the ones before stay, for runs that are bound to them. */
export async function putTemplate(
  app: App,
  template: Omit<TemplateRow, 'version' | 'loadedAt' | 'sizeBytes'> & { readonly bytes: Buffer },
): Promise<number> {
  const { name, fileName, bytes, loadedBy, target, summary } = template;
  await lockResource(app, 'versions of template', name);
  const version = (await highest(templates(app), 'version', { name })) + 1;
  const loadedAt = new Date(app.now());
  await templates(app).create({ name, version, fileName, bytes, loadedBy, target, summary, loadedAt });
  return version;
}
