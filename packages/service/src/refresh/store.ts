import { Op } from 'sequelize';
import { all, one, type App } from '../platform/index.ts';
import { uploads, type UploadRow } from './models.ts';

export async function putUpload(app: App, row: UploadRow): Promise<void> {
  await uploads(app).create(row);
}

/** How many files of a person wait to be loaded. */
export async function countUploads(app: App, personId: string): Promise<number> {
  return uploads(app).count({ where: { personId } });
}

export async function findUpload(app: App, id: string): Promise<UploadRow | undefined> {
  return one(uploads(app).findByPk(id));
}

export async function removeUpload(app: App, id: string): Promise<void> {
  await uploads(app).destroy({ where: { id } });
}

/** Uploads that nobody came back to. */
export async function oldUploads(app: App, before: number): Promise<UploadRow[]> {
  return all(uploads(app).findAll({ where: { createdAt: { [Op.lt]: new Date(before) } } }));
}
