import { createHmac } from 'node:crypto';
import { copyFileSync, existsSync, mkdirSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { fillSkerrow } from '../../demo/src/fill.ts';
import { Caller, demoPassword, demoPeople, installDemo, placeTabs } from '../../demo/src/index.ts';
import { buildAll } from '../build.ts';
import { root } from '../install.mjs';
import { Advice, Cluster } from '../cluster.ts';
import { Children, requireFreePort } from './children.ts';
import { dataFolder, lockFolder, openInstallation, saveInstallation, type Installation } from './installation.ts';

const say = (text = '') => process.stdout.write(`${text}\n`);

function readOptions() {
  try {
    const { values } = parseArgs({
      options: {
        fresh: { type: 'boolean', default: false },
        empty: { type: 'boolean', default: false },
        screens: { type: 'boolean', default: false },
        help: { type: 'boolean', default: false },
      },
    });
    return values;
  } catch (error) {
    throw new Advice(
      `${(error as Error).message}\nThere is: npm start, npm start -- --fresh (start with new demo data), npm start -- --empty (without the demo), npm start -- --screens (with two playing screens)`,
    );
  }
}

const usualPort = 7300;

function readPort(): number {
  const port = Number(process.env['UNDERBELL_PORT'] ?? usualPort);
  if (Number.isInteger(port) && port > 1023 && port < 65_526) return port;
  throw new Advice(`UNDERBELL_PORT is \`${process.env['UNDERBELL_PORT']}\`; it must be a number from 1024 to 65525.`);
}

/** Ports follow the first one. */
const portsFrom = (first: number) => ({
  service: first,
  smtp: first + 1,
  mailbox: first + 2,
  portal: first + 3,
  database: first + 4,
  directory: first + 5,
  library: first + 6,
  bounces: first + 7,
  chat: first + 8,
  works: first + 9,
});
type Ports = ReturnType<typeof portsFrom>;

/** What the stand-in directory and the service both know, without keeping it anywhere else. */
function derived(installation: Installation, what: string): string {
  return createHmac('sha256', installation.secret).update(what).digest('hex');
}

const demoSender = 'Skerrow Ferries reports <reports@skerrow.example>';
/** Of an installation that is nobody's demo, until its operator says another. */
const ownSender = 'Under Bell <reports@underbell.example>';

function environmentFor(
  folder: string,
  ports: Ports,
  cluster: Cluster,
  installation: Installation,
): Record<string, string> {
  const hasDemo = installation.demo !== 'none';
  return {
    UNDERBELL_PORT: String(ports.service),
    UNDERBELL_DATABASE_URL: cluster.url('underbell'),
    UNDERBELL_SECRET: installation.secret,
    UNDERBELL_WORK_DIR: join(folder, 'spool'),
    UNDERBELL_EXPORT_DIR: join(folder, 'deliveries'),
    // The demo's data and its file library are on this machine.
    UNDERBELL_ALLOWED_PRIVATE_ADDRESSES:
      process.env['UNDERBELL_ALLOWED_PRIVATE_ADDRESSES'] ??
      [cluster.port, ports.library, ports.chat].map((port) => `127.0.0.1:${port}`).join(', '),
    UNDERBELL_SMTP_URL: `smtp://127.0.0.1:${ports.smtp}`,
    UNDERBELL_MAIL_FROM: process.env['UNDERBELL_MAIL_FROM'] ?? (hasDemo ? demoSender : ownSender),
    UNDERBELL_BOUNCE_ADDRESS: hasDemo ? 'bounces@skerrow.example' : 'bounces@underbell.example',
    UNDERBELL_BOUNCE_LISTEN_URL: `smtp://127.0.0.1:${ports.bounces}`,
    UNDERBELL_TIME_ZONE: process.env['UNDERBELL_TIME_ZONE'] ?? 'Europe/London',
    UNDERBELL_OIDC_ISSUER: `http://127.0.0.1:${ports.directory}`,
    UNDERBELL_OIDC_CLIENT_ID: 'underbell',
    UNDERBELL_OIDC_CLIENT_SECRET: derived(installation, 'directory client'),
    UNDERBELL_SCIM_TOKEN: derived(installation, 'provisioning'),
    STANDIN_DIRECTORY_PORT: String(ports.directory),
    STANDIN_DIRECTORY_FILE: join(folder, 'directory.json'),
    STANDIN_LIBRARY_PORT: String(ports.library),
    STANDIN_LIBRARY_FOLDER: join(folder, 'library'),
    STANDIN_LIBRARY_PASSWORD: derived(installation, 'library'),
    STANDIN_BOUNCES_AT: `smtp://127.0.0.1:${ports.bounces}`,
    STANDIN_SMTP_PORT: String(ports.smtp),
    STANDIN_MAILBOX_PORT: String(ports.mailbox),
    STANDIN_PORTAL_PORT: String(ports.portal),
    STANDIN_CHAT_PORT: String(ports.chat),
    STANDIN_APP_PORT: String(ports.works),
    STANDIN_APP_FILE: join(folder, 'works.json'),
    STANDIN_APP_SECRET: derived(installation, 'works app'),
    STANDIN_SCREENS_FILE: join(folder, 'screens.json'),
    STANDIN_CHAT_FILE: join(folder, 'chat.json'),
    STANDIN_CHAT_EVENTS: join(folder, 'chat-events.json'),
    STANDIN_MAIL_FOLDER: join(folder, 'mail'),
    STANDIN_PORTAL_FILE: join(folder, 'portal.json'),
    STANDIN_UNDERBELL_URL: `http://127.0.0.1:${ports.service}`,
  };
}

/** The demo's reports and boards lie in its library, too: what is replaced there, can be followed. */
function fillLibrary(folder: string): void {
  const to = join(folder, 'library', 'definitions');
  mkdirSync(to, { recursive: true });
  const from = join(root, 'demo', 'definitions');
  for (const name of readdirSync(from).filter((one) => /\.(report|board)\.json$/.test(one)))
    if (!existsSync(join(to, name))) copyFileSync(join(from, name), join(to, name));
}

function welcome(
  ports: Ports,
  installation: Installation,
  { setupCode, hasScreens }: { readonly setupCode: string | undefined; readonly hasScreens: boolean },
): void {
  const service = `http://127.0.0.1:${ports.service}`;
  say();
  if (installation.demo !== 'loaded') {
    say(`Under Bell runs: ${service}/console`);
    if (setupCode) say(`The first visit makes the administrator. One-time code: ${setupCode}`);
    say(`Mailboxes: http://127.0.0.1:${ports.mailbox}`);
    if (ports.service !== usualPort) say(`On the command line, first: export UNDERBELL_URL=${service}`);
  } else {
    say('Under Bell runs with the demo, Skerrow Ferries.');
    say();
    say(`  Console    ${service}/console`);
    say(`             sign in as ${demoPeople.publisher.email} (publisher) with ${demoPassword}`);
    say(`             or as ${demoPeople.manager.email}, who manages one quay, with the same password`);
    say(`  Portal     http://127.0.0.1:${ports.portal}   a page for each quay`);
    say(`  Chat       http://127.0.0.1:${ports.chat}   teams and channels, with tabs for their members`);
    say(`  Works app  http://127.0.0.1:${ports.works}   reports beside records, for two companies`);
    say(`  Screen     ${service}/screen/   open it in a window of its own, and type its code in the console`);
    if (hasScreens) say(`             two of them play here: ${service}/console/screens?find=played`);
    say(`  Mailboxes  http://127.0.0.1:${ports.mailbox}   where the copies arrive`);
    say(`  Library    http://127.0.0.1:${ports.library}   where files are put, and followed (user reports,`);
    say(`             password ${derived(installation, 'library')})`);
    say(`  Directory  http://127.0.0.1:${ports.directory}   people who sign in with the company's directory`);
    say();
    say('On the command line, in a second terminal (you are signed in as the publisher):');
    // Another data folder than the usual one is found by nobody who is not told of it.
    if (process.env['UNDERBELL_DATA']) say(`  export UNDERBELL_DATA=${dataFolder()}`);
    say('  npx underbell burst preview quay-pack --period 2026-10');
    say('  npx underbell burst run quay-pack --period 2026-10');
    say(`  npx underbell preview-as quay-punctuality --viewer ${demoPeople.manager.email}`);
  }
  say();
  say('Ctrl-C stops everything; the data stays.');
}

async function main(): Promise<void> {
  const options = readOptions();
  if (options.help) {
    say('npm start [-- --fresh] [-- --empty] [-- --screens]    UNDERBELL_DATA, UNDERBELL_PORT move everything');
    return;
  }
  const folder = dataFolder();
  const ports = portsFrom(readPort());
  const unlock = lockFolder(folder);
  const children = new Children(folder);
  let cluster: Cluster | undefined;
  let closeScreens = async (): Promise<void> => undefined;
  let isStopping = false;
  const stop = async (): Promise<void> => {
    if (isStopping) return;
    isStopping = true;
    await closeScreens();
    await children.stop();
    await cluster?.stop().catch(() => undefined);
    unlock();
  };
  const onSignal = () => {
    say('\nStopping …');
    void stop().then(() => process.exit(0));
  };
  process.on('SIGINT', onSignal);
  process.on('SIGTERM', onSignal);
  try {
    // A database that a crashed start left behind is not somebody else's.
    if (existsSync(join(folder, 'postgres')))
      await new Cluster(join(folder, 'postgres'), ports.database, '').stop().catch(() => undefined);
    if (options.fresh) {
      for (const part of [
        'postgres',
        'installation.json',
        'spool',
        'mail',
        'library',
        'deliveries',
        'portal.json',
        'works.json',
        'screens.json',
        'walls',
        'chat.json',
        'chat-events.json',
        'directory.json',
        'cli.json',
        'lists',
      ])
        rmSync(join(folder, part), { recursive: true, force: true });
    }
    for (const [what, port] of Object.entries(ports)) await requireFreePort(port, what);
    await buildAll(say);
    let { installation } = openInstallation(folder);
    cluster = new Cluster(join(folder, 'postgres'), ports.database, installation.databasePassword);
    const server = cluster;
    await server.start();
    children.keepRunning('database', { isRunning: () => server.isRunning(), start: () => server.start() });
    if (installation.demo === 'loading') {
      say('An earlier start was interrupted while it loaded the demo; loading it anew.');
      for (const name of ['underbell', 'skerrow']) await cluster.dropDatabase(name);
      for (const part of ['spool', 'mail', 'library', 'chat-events.json'])
        rmSync(join(folder, part), { recursive: true, force: true });
      installation = { ...installation, demo: 'none' };
    }
    const isFirst = await cluster.ensureDatabase('underbell');
    const wantsDemo = isFirst && !options.empty;
    if (wantsDemo) {
      installation = { ...installation, demo: 'loading' };
      saveInstallation(folder, installation);
      say('Making the data of Skerrow Ferries …');
      await fillSkerrow(cluster, folder);
    }
    const environment = environmentFor(folder, ports, cluster, installation);
    if (installation.demo !== 'none') fillLibrary(folder);
    const startWeb = () =>
      children.start('service', 'packages/service/dist/main.mjs', { ...environment, UNDERBELL_ROLE: 'web' });
    const startOthers = () =>
      Promise.all([
        children.start('worker', 'packages/service/dist/main.mjs', { ...environment, UNDERBELL_ROLE: 'worker' }),
        children.start('standins', 'packages/standins/dist/main.mjs', environment),
      ]);
    let setupCode: string | undefined;
    const service = `http://127.0.0.1:${ports.service}`;
    const publisher = () => {
      const { key } = JSON.parse(readFileSync(join(folder, 'cli.json'), 'utf8')) as { key: string };
      return new Caller(service, key);
    };
    if (wantsDemo) {
      // The stand-ins open only once the demo has told them what to show.
      await startWeb();
      say('Loading the demo …');
      await installDemo({
        cluster,
        folder,
        environment,
        portalUrl: `http://127.0.0.1:${ports.portal}`,
        chatUrl: `http://127.0.0.1:${ports.chat}`,
        worksUrl: `http://127.0.0.1:${ports.works}`,
        library: {
          url: `http://127.0.0.1:${ports.library}`,
          user: 'reports',
          password: derived(installation, 'library'),
        },
      });
      installation = { ...installation, demo: 'loaded' };
      saveInstallation(folder, installation);
      await startOthers();
      await placeTabs(publisher());
    } else {
      const [web] = await Promise.all([startWeb(), startOthers()]);
      setupCode = web.setupCode;
    }
    if (options.screens && installation.demo === 'loaded') {
      say('Starting two playing screens …');
      const { playScreens } = await import('./screens.ts');
      closeScreens = await playScreens(folder, service, publisher());
    }
    if (!isStopping) welcome(ports, installation, { setupCode, hasScreens: options.screens });
  } catch (error) {
    // Ctrl-C in the middle of a start makes whatever was going on fail; that is no news.
    if (isStopping) return;
    await stop();
    throw error;
  }
}

try {
  await main();
} catch (error) {
  process.stderr.write(
    `\n${error instanceof Advice ? error.message : `The start failed: ${(error as Error).message}`}\n`,
  );
  if (process.env['UNDERBELL_LOG_LEVEL'] === 'debug') process.stderr.write(`${(error as Error).stack}\n`);
  process.exit(1);
}
