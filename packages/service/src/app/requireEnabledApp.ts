import type { PersonViewer } from '@underbell/core/access';
import type { ShownApp } from '@underbell/core/app';
import { Refusal } from '@underbell/core/refusal';
import { notFound, requireRight } from '../access/index.ts';
import type { App } from '../platform/index.ts';
import type { AppRow } from './models.ts';
import { findApp, listApps } from './store.ts';

export const isOff = ({ title }: AppRow) =>
  new Refusal('APP_DISABLED', `Reports are disabled in “${title}”.`, { hint: 'Ask an administrator to enable them.' });

/** An app that somebody has a right on. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function requireApp(
  app: App,
  person: PersonViewer,
  name: string,
  level: 'view' | 'edit' = 'view',
): Promise<AppRow & { readonly right: ShownApp['right'] }> {
  const right = await requireRight(app, person, level, 'app', name);
  return { ...(await existing(app, name)), right: right.level };
}

/** Administrators have a right on every name, whether there is such an app or not. */
async function existing(app: App, name: string): Promise<AppRow> {
  const row = await findApp(app, name);
  if (row) return row;
  throw notFound(
    'app',
    name,
    (await listApps(app)).map((one) => one.name),
  );
}

/** An app that is on, for somebody with a right on it. @throws {Refusal} `NOT_FOUND`, `APP_DISABLED` */
export async function requireOnApp(app: App, person: PersonViewer, name: string): Promise<AppRow> {
  const row = await requireApp(app, person, name);
  if (!row.isOn) throw isOff(row);
  return row;
}
