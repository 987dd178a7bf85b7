import type { Logger } from 'pino';
import { capabilities } from './capabilities.ts';
import { hearersIn, openApp, thingsOf, type App, type Clocks, type Settings } from './platform/index.ts';

/** The surroundings of one process of the service, with everything that it can do. */
export function openService(settings: Settings, log: Logger, clocks?: Clocks): App {
  const parts = {
    things: (app: () => App) => thingsOf(capabilities, app),
    hearersOf: (event: Parameters<App['hearersOf']>[0]) => hearersIn(capabilities, event),
  };
  return openApp(settings, log, parts, clocks);
}
