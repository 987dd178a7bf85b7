import { mkdirSync } from 'node:fs';
import { pino } from 'pino';
import { isRefusal } from '@underbell/core/refusal';
import { makeSetupCode } from './access/index.ts';
import {
  closeApp,
  giveWayWhole,
  joinInstallation,
  migrate,
  readSettings,
  watchStarving,
  type Settings,
} from './platform/index.ts';
import { openService } from './service.ts';
import { startWeb, startWorker, stopWeb } from './server.ts';

/** One process of the service: web, worker or both, as `UNDERBELL_ROLE` says. */
async function main(settings: Settings): Promise<void> {
  const log = pino({ level: settings.logLevel, base: { role: settings.role } });
  mkdirSync(settings.workDir, { recursive: true });
  const app = openService(settings, log);
  await migrate(app);
  await joinInstallation(app);
  const server = settings.role === 'worker' ? undefined : await startWeb(app);
  const worker = settings.role === 'web' ? undefined : startWorker(app);
  // Where workers have a process of their own, readers' go first.
  if (settings.role === 'worker') {
    giveWayWhole(settings.priority);
    watchStarving((share) =>
      log.warn(
        { waitedShare: Math.round(share * 100) / 100, priority: settings.priority },
        'this worker hardly gets to compute: every core is busy with something else (UNDERBELL_RENDER_PRIORITY)',
      ),
    );
  }
  const setupCode = server ? await makeSetupCode(app) : undefined;
  // A parent that started this process learns that it is ready, and with what code the first administrator is made.
  process.send?.({ isReady: true, setupCode });
  log.info({ url: server ? settings.publicUrl : undefined }, 'ready');
  if (setupCode && !process.send) log.warn({ setupCode }, 'no administrator yet: open the console and give this code');

  let isStopping = false;
  const stop = async (): Promise<void> => {
    if (isStopping) return;
    isStopping = true;
    log.info('stopping');
    await Promise.all([server && stopWeb(server), worker?.stop()]);
    await closeApp(app);
    process.exit(0);
  };
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void stop());
  // When the start command dies, nothing is left running behind it.
  if (process.send) process.on('disconnect', () => void stop());
}

try {
  await main(readSettings(process.env));
} catch (error) {
  const { code } = error as { code?: string };
  const message = isRefusal(error)
    ? error.message
    : code === 'EADDRINUSE'
      ? 'the port is taken by another program'
      : `${(error as Error).message}`;
  process.stderr.write(`underbell: ${message}\n`);
  process.send?.({ isReady: false, message });
  process.exit(1);
}
