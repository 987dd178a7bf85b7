import type { ShownSource } from '@underbell/core/source';
import { all, plain, type App } from '../platform/index.ts';
import { sources, type SourceRow } from './models.ts';

const purpose = 'source address';

/** The address without its password, for people. */
export function withoutPassword(url: string): string {
  const shown = new URL(url);
  shown.password = '';
  return shown.toString();
}

export async function putSource(app: App, name: string, url: string): Promise<void> {
  await sources(app).upsert({
    name,
    sealedUrl: app.vault.seal(url, purpose),
    shownUrl: withoutPassword(url),
    checkedAt: null,
    checkError: null,
  });
}

export async function sourceUrl(app: App, name: string): Promise<string | undefined> {
  const row = await sources(app).findByPk(name);
  return row ? app.vault.open(plain(row).sealedUrl, purpose) : undefined;
}

const listed = ({ name, shownUrl, checkedAt, checkError }: SourceRow): ShownSource<Date> => ({
  name,
  url: shownUrl,
  checkedAt,
  checkError,
});

export async function listSources(app: App): Promise<ShownSource<Date>[]> {
  return (await all(sources(app).findAll({ order: ['name'] }))).map(listed);
}

export async function findSource(app: App, name: string): Promise<ShownSource<Date> | undefined> {
  const row = await sources(app).findByPk(name);
  return row ? listed(plain(row)) : undefined;
}

export async function noteCheck(app: App, name: string, checkError: string | null): Promise<void> {
  await sources(app).update({ checkedAt: new Date(app.now()), checkError }, { where: { name } });
}

/** Takes the next look at a source, once over all processes. */
export async function takeCheck(
  app: App,
  { name, checkedAt }: { readonly name: string; readonly checkedAt: Date | null },
): Promise<boolean> {
  const [taken] = await sources(app).update({ checkedAt: new Date(app.now()) }, { where: { name, checkedAt } });
  return taken > 0;
}
