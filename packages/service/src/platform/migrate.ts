import pg from 'pg';
import { SequelizeStorage, Umzug } from 'umzug';
import type { App } from './app.ts';
import { connectionTo } from './pool.ts';
import { advisoryLocks, outsideTransaction } from './records/index.ts';
import * as records from './migrations/001-records.ts';
import * as access from './migrations/002-access.ts';
import * as reports from './migrations/003-reports.ts';
import * as marks from './migrations/004-marks.ts';
import * as runs from './migrations/005-runs.ts';
import * as meter from './migrations/006-meter.ts';
import * as destinations from './migrations/007-destinations.ts';
import * as lists from './migrations/008-lists.ts';
import * as cuts from './migrations/009-cuts.ts';
import * as letters from './migrations/010-letters.ts';
import * as refreshed from './migrations/011-refreshed.ts';
import * as costs from './migrations/012-costs.ts';
import * as holidays from './migrations/013-holidays.ts';
import * as awaited from './migrations/014-awaited.ts';
import * as writers from './migrations/015-writers.ts';
import * as holders from './migrations/016-holders.ts';
import * as queue from './migrations/017-queue.ts';
import * as dialects from './migrations/018-dialects.ts';
import * as secrets from './migrations/019-secrets.ts';
import * as idempotency from './migrations/020-idempotency.ts';
import * as takenAway from './migrations/021-taken-away.ts';
import * as names from './migrations/022-names.ts';
import * as rowRules from './migrations/023-row-rules.ts';
import * as placements from './migrations/024-placements.ts';
import * as jobNews from './migrations/025-job-news.ts';
import * as followedFiles from './migrations/027-followed-files.ts';
import * as columnSwaps from './migrations/028-column-swaps.ts';
import * as lastUses from './migrations/029-last-uses.ts';
import * as folderPages from './migrations/030-folder-pages.ts';
import * as channels from './migrations/031-channels.ts';
import * as apps from './migrations/032-apps.ts';
import * as screens from './migrations/033-screens.ts';
import * as media from './migrations/034-media.ts';
import * as screenPictures from './migrations/035-screen-pictures.ts';
import * as keyFamilies from './migrations/036-key-families.ts';
import * as rightsNews from './migrations/037-rights-news.ts';
import * as processes from './migrations/038-processes.ts';
import * as directoryUsers from './migrations/039-directory-users.ts';
import * as skippedRows from './migrations/040-skipped-rows.ts';
import * as plainWords from './migrations/041-plain-words.ts';
import * as publicLinks from './migrations/026-public-links.ts';

/** In order; only ever appended to. */
const migrations = [
  records,
  access,
  reports,
  marks,
  runs,
  meter,
  destinations,
  lists,
  cuts,
  letters,
  refreshed,
  costs,
  holidays,
  awaited,
  writers,
  holders,
  queue,
  dialects,
  secrets,
  idempotency,
  takenAway,
  names,
  rowRules,
  placements,
  jobNews,
  publicLinks,
  followedFiles,
  columnSwaps,
  lastUses,
  folderPages,
  channels,
  apps,
  screens,
  media,
  screenPictures,
  keyFamilies,
  rightsNews,
  processes,
  directoryUsers,
  skippedRows,
  plainWords,
];

/** Brings the records to the newest shape, each step in its own transaction. Processes that start together wait for each other. */
export async function migrate({ records: sequelize, settings }: Pick<App, 'records' | 'settings'>): Promise<string[]> {
  const umzug = new Umzug({
    migrations: migrations.map(({ name, up }) => ({
      name,
      up: () =>
        outsideTransaction(() =>
          // Others may be reading for as long as they like: a step waits for them.
          sequelize.transaction((transaction) => sequelize.query(`SET LOCAL lock_timeout = 0; ${up}`, { transaction })),
        ),
    })),
    storage: new SequelizeStorage({ sequelize, tableName: 'migrations' }),
    logger: undefined,
  });
  // Steps take minutes: what keeps others out is held by a connection of its own, outside of any transaction.
  const guard = new pg.Client(connectionTo(settings, { name: 'migrations', parameters: { lock_timeout: 0 } }));
  guard.on('error', () => undefined);
  await guard.connect();
  try {
    await guard.query('SELECT pg_advisory_lock($1)', [advisoryLocks.migrations]);
    return (await umzug.up()).map((one) => one.name);
  } finally {
    await guard.end();
  }
}
