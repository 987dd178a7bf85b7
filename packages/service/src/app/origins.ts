import type { App } from '../platform/index.ts';
import { findApp } from './store.ts';

/** Origins whose pages may frame an app's side panel and mixed pages. While it is off, those pages say so. */
export async function originsOfApp(app: App, name: string): Promise<readonly string[]> {
  return (await findApp(app, name))?.origins ?? [];
}
