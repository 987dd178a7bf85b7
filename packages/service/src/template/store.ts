import { QueryTypes } from 'sequelize';
import type { ShownTemplate } from '@underbell/core/template';
import type { App } from '../platform/index.ts';

export type TemplateRow = ShownTemplate<Date>;
export type TemplateSummary = TemplateRow['summary'];

const shown = `name, version, target, file_name AS "fileName", summary, loaded_at AS "loadedAt", loaded_by AS "loadedBy", length(bytes) AS "sizeBytes"`;

/** A template's newest version, or the one asked for. */
export async function findTemplate(app: App, name: string, version?: number): Promise<TemplateRow | undefined> {
  const [row] = await app.records.query<TemplateRow>(
    `SELECT ${shown} FROM templates WHERE name = $name AND ($version::integer IS NULL OR version = $version) ORDER BY version DESC LIMIT 1`,
    { bind: { name, version: version ?? null }, type: QueryTypes.SELECT },
  );
  return row;
}

export async function templateBytes(app: App, name: string, version: number): Promise<Buffer> {
  const [row] = await app.records.query<{ bytes: Buffer }>(
    'SELECT bytes FROM templates WHERE name = $name AND version = $version',
    { bind: { name, version }, type: QueryTypes.SELECT },
  );
  if (!row) throw new Error(`version ${version} of the template ${name} has vanished`);
  return row.bytes;
}

/** The newest version of each. */
export function listTemplates(app: App): Promise<TemplateRow[]> {
  return app.records.query<TemplateRow>(
    `SELECT DISTINCT ON (name) ${shown} FROM templates ORDER BY name, version DESC`,
    { type: QueryTypes.SELECT },
  );
}

/** Stores the next version; the ones before stay, for runs that are bound to them. */
export async function putTemplate(
  app: App,
  template: Omit<TemplateRow, 'version' | 'loadedAt' | 'sizeBytes'> & { readonly bytes: Buffer },
): Promise<number> {
  const { name, fileName, bytes, loadedBy } = template;
  await app.records.query('SELECT pg_advisory_xact_lock(hashtext($lock))', {
    bind: { lock: `template ${name}` },
  });
  const [row] = await app.records.query<{ version: number }>(
    `INSERT INTO templates (name, version, target, file_name, bytes, summary, loaded_at, loaded_by)
     SELECT $name, coalesce(max(version), 0) + 1, $target::jsonb, $fileName, $bytes, $summary::jsonb, $at, $loadedBy
     FROM templates WHERE name = $name RETURNING version`,
    {
      bind: {
        name,
        fileName,
        bytes,
        loadedBy,
        target: JSON.stringify(template.target),
        summary: JSON.stringify(template.summary),
        at: new Date(app.now()),
      },
      type: QueryTypes.SELECT,
    },
  );
  return row!.version;
}
