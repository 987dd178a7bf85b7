import type { App } from './app.ts';

/**
 * What a process keeps for each app: made when it is first asked for, gone with the app.
 *
 * @param make - makes it; it may leave word with the app what is to be done at its end
 */
export function perInstance<T extends object>(make: (app: App) => T): (app: App) => T {
  const all = new WeakMap<App, T>();
  return (app) => {
    const known = all.get(app);
    if (known) return known;
    const made = make(app);
    all.set(app, made);
    return made;
  };
}
