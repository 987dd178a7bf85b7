import type { Transaction } from 'sequelize';
import { defineRecord, plain, type App } from '../platform/index.ts';

interface SourceRow {
  name: string;
  sealedUrl: string;
  shownUrl: string;
}

const table = (app: App) =>
  defineRecord<SourceRow>(app.records, 'sources', { name: 'key', sealedUrl: 'text', shownUrl: 'text' });
const purpose = 'source address';

/** The address without its password, for people. */
export function withoutPassword(url: string): string {
  const shown = new URL(url);
  shown.password = '';
  return shown.toString();
}

export async function putSource(app: App, name: string, url: string, transaction: Transaction): Promise<void> {
  await table(app).upsert(
    { name, sealedUrl: app.vault.seal(url, purpose), shownUrl: withoutPassword(url) },
    { transaction },
  );
}

export async function sourceUrl(app: App, name: string): Promise<string | undefined> {
  const row = await table(app).findByPk(name);
  return row ? app.vault.open(plain(row).sealedUrl, purpose) : undefined;
}

export async function listSources(app: App): Promise<{ name: string; url: string }[]> {
  return (await table(app).findAll({ order: ['name'] }))
    .map(plain)
    .map(({ name, shownUrl }) => ({ name, url: shownUrl }));
}
