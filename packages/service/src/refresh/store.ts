import { Op, QueryTypes } from 'sequelize';
import type { FileDialect } from '@underbell/core/dataset';
import type { FileColumn, FileKind } from '../dataset/index.ts';
import { defineRecord, plain, type App } from '../platform/index.ts';

/** A file that was looked at and waits to be loaded. */
export interface UploadRow {
  id: string;
  personId: string;
  fileName: string;
  kind: FileKind;
  path: string;
  sizeBytes: number;
  rowCount: number;
  columns: FileColumn[];
  /** As far as the file itself and what was said of it tell. */
  dialect: FileDialect;
  createdAt: Date;
}

const uploads = (app: App) =>
  defineRecord<UploadRow>(app.records, 'uploads', {
    id: 'key',
    personId: 'text',
    fileName: 'text',
    kind: 'text',
    path: 'text',
    sizeBytes: 'integer',
    rowCount: 'integer',
    columns: 'json',
    dialect: 'json',
    createdAt: 'instant',
  });

export async function putUpload(app: App, row: UploadRow): Promise<void> {
  await uploads(app).create(row);
}

/** How many files of a person wait to be loaded. */
export async function countUploads(app: App, personId: string): Promise<number> {
  return uploads(app).count({ where: { personId } });
}

export async function findUpload(app: App, id: string): Promise<UploadRow | undefined> {
  const row = await uploads(app).findByPk(id);
  return row ? plain(row) : undefined;
}

export async function removeUpload(app: App, id: string): Promise<void> {
  await uploads(app).destroy({ where: { id } });
}

/** Uploads that nobody came back to. */
export async function oldUploads(app: App, before: number): Promise<UploadRow[]> {
  return (await uploads(app).findAll({ where: { createdAt: { [Op.lt]: new Date(before) } } })).map(plain);
}

/** The dataset that a refresh address loads. */
export async function findHook(app: App, hook: string): Promise<string | undefined> {
  const rows = await app.records.query<{ name: string }>(
    'SELECT name FROM datasets WHERE hook_fingerprint = :hook AND deleted_at IS NULL',
    { replacements: { hook }, type: QueryTypes.SELECT },
  );
  return rows[0]?.name;
}
