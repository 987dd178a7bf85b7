import type { Logger } from 'pino';
import type { Sequelize } from 'sequelize';
import { dateWriter } from '@underbell/core/format';
import { ChangeFeed } from './changes.ts';
import { Clock } from './clock.ts';
import { closeLanes, openAsking, openPools, type ConnectionPools } from './connectionPools.ts';
import { openRecords } from './records/index.ts';
import type { Pool } from './pool.ts';
import type { Settings } from './settings.ts';
import type { EventName } from './eventNames.ts';
import type { Things } from './resources.ts';
import { Vault } from './encryption.ts';

/** What every use case works with: the surroundings of one process, passed in rather than reached for. */
export interface App {
  readonly settings: Settings;
  readonly things: Things;
  /** Names of the capabilities that hear of an event. */
  readonly hearersOf: (event: EventName) => readonly string[];
  readonly records: Sequelize;
  readonly lanes: ConnectionPools;
  /** Asks what every request needs, by prepared statements. */
  readonly asking: Pool;
  readonly vault: Vault;
  /** What other processes, and this one, announce. */
  readonly changes: ChangeFeed;
  /** Whatever works beside the answering, by name, with whether it goes on. */
  readonly checks: Map<string, () => boolean>;
  /** What else is to be closed with the process's surroundings. */
  readonly atClose: Set<() => Promise<void>>;
  readonly log: Logger;
  /** Milliseconds since 1970-01-01T00:00:00Z. */
  readonly now: () => number;
  readonly clock: Clock;
}

/** What the parts of a service bring to its surroundings. */
export interface Parts {
  readonly things: (app: () => App) => Things;
  readonly hearersOf: App['hearersOf'];
}

/** Clocks that tests set. */
export interface Clocks {
  /** The process's own: milliseconds since 1970-01-01T00:00:00Z. */
  readonly own?: () => number;
  /** What all of the product goes by; the database's when left out. */
  readonly now?: () => number;
}

export function openApp(settings: Settings, log: Logger, { things, hearersOf }: Parts, { own, now }: Clocks = {}): App {
  const clock = new Clock(own);
  const changes = new ChangeFeed(settings);
  const app: App = {
    settings,
    things: things(() => app),
    hearersOf,
    records: openRecords(settings),
    lanes: openPools(settings),
    asking: openAsking(settings),
    vault: new Vault(settings.secret),
    checks: new Map([['changes', () => changes.isAlive]]),
    atClose: new Set(),
    changes,
    log,
    now: now ?? clock.now,
    clock,
  };
  return app;
}

export async function closeApp(app: App): Promise<void> {
  await Promise.all([...app.atClose].map((close) => close()));
  await app.changes.close();
  await closeLanes(app.lanes);
  await app.asking.end();
  await app.records.close();
}

/** The instant and the day it is in the installation's time zone. */
export function momentOf(app: App, now = app.now()): { now: number; today: string; timeZone: string } {
  const { timeZone } = app.settings;
  return { now, today: dateWriter('en-CA', { timeZone }).format(now), timeZone };
}
