import { Refusal } from '@underbell/core/refusal';
import type { App } from './app.ts';
import { perInstance } from './perInstance.ts';
import {
  connectionsGiven,
  endHeartbeat,
  listProcesses,
  mostConnections,
  readClock,
  writeHeartbeat,
} from './processes.sql.ts';

/** So often a process reads the database's clock and says that it lives. */
const beatMs = 2_000;
/** So often a clock that is off is logged. */
const clockWordsMs = 60_000;

const connectionSettings = ['READER', 'DOWNLOAD', 'PLANNED', 'RECORD', 'SESSION'].map(
  (kind) => `UNDERBELL_${kind}_CONNECTIONS`,
);

/**
 * Compares what the server gives with what this process may open, and what all that run now may.
 *
 * @throws {Refusal} `SETTING_INVALID` where this process alone may open more than there are
 */
async function checkConnections(app: App): Promise<void> {
  const own = mostConnections(app.settings.connections);
  const given = await connectionsGiven(app);
  const advice = `Raise max_connections of the database server, or lower ${connectionSettings.join(', ')}.`;
  if (own > given)
    throw new Refusal(
      'SETTING_INVALID',
      `This process can open ${own} connections to its database, which allows ${given} in total.`,
      { hint: advice },
    );
  const others = (await listProcesses(app)).filter((one) => one.isRunning);
  const all = others.reduce((sum, one) => sum + one.connections, own);
  if (all > given)
    app.log.warn(
      { connections: all, given, processes: others.length + 1 },
      `all processes together may open more connections than the database gives; ${advice}`,
    );
}

const beating = perInstance((app) => ({ started: start(app) }));

async function start(app: App): Promise<void> {
  await readClock(app);
  await checkConnections(app);
  let saidAt = -Infinity;
  const beat = async () => {
    await readClock(app);
    if (!app.clock.isTrusted && performance.now() - saidAt > clockWordsMs) {
      saidAt = performance.now();
      app.log.error(
        { clockOffMs: app.clock.offMs },
        "this machine's clock differs from the database's by more than 30 seconds: this process does no timed work until it is set right",
      );
    }
    await writeHeartbeat(app);
  };
  await beat();
  let timer: NodeJS.Timeout;
  let running: Promise<void> = Promise.resolve();
  let isEnding = false;
  const next = () => {
    if (isEnding) return;
    timer = setTimeout(() => {
      running = beat()
        .catch((error: unknown) => app.log.warn({ err: error }, 'a heartbeat could not be written'))
        .finally(next);
    }, beatMs);
    timer.unref();
  };
  next();
  app.atClose.add(async () => {
    isEnding = true;
    clearTimeout(timer);
    await running;
    // The database may be gone already: then it finds out by the silence.
    await endHeartbeat(app).catch((error: unknown) => app.log.info({ err: error }, 'a heartbeat could not be ended'));
  });
}

/** Joins the installation: from then on this process goes by the database's clock, and the others know of it. */
export const joinInstallation = (app: App): Promise<void> => beating(app).started;
