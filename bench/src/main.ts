import { randomBytes } from 'node:crypto';
import { chmodSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { pino } from 'pino';
import { fillSkerrow } from '@underbell/demo/fill';
import { findPerson } from '@underbell/service/access';
import { dataTable, readableRevision } from '@underbell/service/dataset';
import { closeApp, readSettings } from '@underbell/service/platform';
import { openService } from '@underbell/service';
import { Cluster } from '../../scripts/cluster.ts';
import { buildAll } from '../../scripts/build.ts';
import { findPostgres } from '../../scripts/install.mjs';
import { benchBurstCsv } from './burstCsv.ts';
import { benchDelivery } from './delivery.ts';
import { benchFormats } from './formats.ts';
import { benchChannels } from './channels.ts';
import { benchFigures, benchReaders, printGrowth, printRowGrowth } from './growth.ts';
import { benchFilter } from './filter.ts';
import { furnish, sender } from './furnish.ts';
import { benchScreens } from './screens.ts';
import { benchViewing } from './viewing.ts';
import { isReached, printTable, ratioOf, type BenchFigure } from './figures.ts';

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });
}

const viewedRows = 60_000;

/** The viewer's figures, on an installation of the demo's size. */
async function viewing(
  cluster: Cluster,
  folder: string,
  runs: number,
  say: (text: string) => void,
): Promise<BenchFigure[]> {
  await cluster.ensureDatabase('viewing');
  const settings = readSettings({
    UNDERBELL_PORT: String(await freePort()),
    UNDERBELL_DATABASE_URL: cluster.url('viewing'),
    UNDERBELL_SECRET: randomBytes(32).toString('hex'),
    UNDERBELL_WORK_DIR: join(folder, 'viewing'),
    UNDERBELL_ALLOWED_PRIVATE_ADDRESSES: `127.0.0.1:${cluster.port}`,
  });
  mkdirSync(settings.workDir);
  const app = openService(settings, pino({ level: 'silent' }));
  try {
    await furnish(app, cluster, viewedRows);
    await app.lanes.planned.query('VACUUM ANALYZE');
    const reader = (await findPerson(app, { email: sender }))!;
    const { rows } = await app.lanes.readers.query<{ quay_id: string }>(
      `SELECT quay_id FROM ${dataTable((await readableRevision(app, 'sailings')).table)} GROUP BY 1 ORDER BY count(*) DESC`,
    );
    return await benchViewing({ app, folder, reader, quays: rows.map((one) => one.quay_id), runs, say });
  } finally {
    await closeApp(app);
  }
}

/** Screens, on an installation of the demo's size. */
async function onWalls(cluster: Cluster, folder: string, say: (text: string) => void): Promise<BenchFigure[]> {
  await cluster.ensureDatabase('screens');
  const settings = readSettings({
    UNDERBELL_PORT: String(await freePort()),
    UNDERBELL_DATABASE_URL: cluster.url('screens'),
    UNDERBELL_SECRET: randomBytes(32).toString('hex'),
    UNDERBELL_WORK_DIR: join(folder, 'screens'),
    UNDERBELL_ALLOWED_PRIVATE_ADDRESSES: `127.0.0.1:${cluster.port}`,
  });
  mkdirSync(settings.workDir);
  const app = openService(settings, pino({ level: 'silent' }));
  try {
    await furnish(app, cluster, viewedRows);
    return await benchScreens(app, (await findPerson(app, { email: sender }))!, folder, say);
  } finally {
    await closeApp(app);
  }
}

async function main(): Promise<void> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      json: { type: 'boolean', default: false },
      rows: { type: 'string', default: '2000000' },
      runs: { type: 'string', default: '3' },
      quick: { type: 'boolean', default: false },
    },
  });
  const say = (text: string) => void (values.json ? process.stderr : process.stdout).write(`${text}\n`);
  await buildAll(say);
  const folder = mkdtempSync(join(tmpdir(), 'underbell-bench-'));
  chmodSync(folder, 0o755);
  const cluster = new Cluster(join(folder, 'postgres'), await freePort(), randomBytes(12).toString('hex'));
  const figures: BenchFigure[] = [];
  const isWanted = (name: string) => positionals.length === 0 || positionals.includes(name);
  try {
    if (isWanted('formats')) {
      say('Workbooks:');
      figures.push(...(await benchFormats(folder, Number(values.runs))));
      if (positionals.join() === 'formats') return;
    }
    if (isWanted('delivery')) {
      say('Letters and pages:');
      figures.push(...(await benchDelivery(folder, Number(values.runs))));
      if (positionals.join() === 'delivery') return;
    }
    say(`Making ${Number(values.rows).toLocaleString('en')} sailings …`);
    await cluster.start({ fsync: 'off', shared_buffers: '1GB', max_wal_size: '8GB' });
    const company = await fillSkerrow(cluster, folder, Number(values.rows));
    await cluster.ensureDatabase('underbell');
    const environment = {
      UNDERBELL_DATABASE_URL: cluster.url('underbell'),
      UNDERBELL_SECRET: randomBytes(32).toString('hex'),
      UNDERBELL_WORK_DIR: join(folder, 'spool'),
      // The chat of the benchmark is on this machine, at whichever port is free.
      UNDERBELL_ALLOWED_PRIVATE_ADDRESSES: '127.0.0.1',
    };
    const settings = readSettings(environment);
    mkdirSync(settings.workDir);
    const app = openService(settings, pino({ level: 'silent' }));
    try {
      await furnish(app, cluster);
      await app.lanes.planned.query('VACUUM ANALYZE');
      const quays = company.quays.filter((quay) => !quay.isClosed).map((quay) => quay.id);
      if (isWanted('filter')) {
        say('Filters:');
        figures.push(...(await benchFilter({ app, rows: 1_000_000, runs: Number(values.runs) })));
      }
      if (isWanted('channels')) {
        say('Channels:');
        figures.push(...(await benchChannels(app, Number(values.runs), say)));
      }
      if (isWanted('burst') || isWanted('rows')) {
        const bench = {
          app,
          folder,
          psql: join(findPostgres()!, 'psql'),
          databaseUrl: cluster.url('underbell'),
          sender,
          environment,
          quays,
          runs: Number(values.runs),
          isQuick: values.quick,
          say,
        };
        if (isWanted('rows')) await printRowGrowth(bench);
        if (isWanted('burst')) {
          say('Figures and growth:');
          figures.push(...(await benchFigures(bench)), await benchReaders(bench));
          await printGrowth(bench);
          say('Burst of CSV:');
          figures.push(...(await benchBurstCsv(bench)));
        }
      }
    } finally {
      await closeApp(app);
    }
    if (isWanted('screens')) {
      say('Screens:');
      figures.push(...(await onWalls(cluster, folder, say)));
    }
    if (isWanted('viewing')) {
      say('Viewing, 60,000 rows:');
      figures.push(...(await viewing(cluster, folder, Number(values.runs), say)));
    }
  } finally {
    await cluster.stop().catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
    if (values.json)
      for (const one of figures)
        process.stdout.write(`${JSON.stringify({ ...one, ratio: ratioOf(one), isReached: isReached(one) })}\n`);
    else printTable(figures);
  }
}

await main();
