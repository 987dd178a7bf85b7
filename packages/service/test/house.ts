import { randomBytes } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { EventEmitter, once } from 'node:events';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { gunzipSync } from 'node:zlib';
import pg from 'pg';
import { pino } from 'pino';
import { demoPassword, installDemo, pointDemo } from '@underbell/demo';
import type { ProblemDocument } from '@underbell/core/refusal';
import {
  createMailboxPages,
  createPortal,
  LibraryHost,
  MailHost,
  type MailHostOptions,
  type PortalSetup,
} from '../../standins/src/index.ts';
import { closeApp, migrate, readSettings, type App, type Worker } from '../src/platform/index.ts';
import { openService } from '../src/service.ts';
import { startWeb, startWorker, stopWeb } from '../src/server.ts';
import { findPostgres } from '../../../scripts/install.mjs';
import { ownPorts } from './ports.ts';

const base = process.env['UNDERBELL_TEST_DATABASE'];
const testFolder = process.env['UNDERBELL_TEST_FOLDER'];
if (!base || !testFolder) throw new Error('run the tests with `npm test`, which starts their database');

const asOwner = <T>(work: (client: pg.Client) => Promise<T>, database?: string): Promise<T> =>
  onServer(base!, work, database);

async function onServer<T>(server: string, work: (client: pg.Client) => Promise<T>, database = 'postgres'): Promise<T> {
  const url = new URL(server);
  url.pathname = `/${database}`;
  const client = new pg.Client({ connectionString: url.toString() });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

/** Says `any` whenever a job of a house was made or done, a thing of it was changed, or a letter came. */
const happenings = new EventEmitter().setMaxListeners(0);
let count = 0;
const happened = () => void happenings.emit('any', ++count);
/** So long is waited at most before looking again, for what nothing tells of. */
const lookAgainMs = 250;

/** Looking takes of what a house works with: so long is rested between two looks. */
const restMs = 40;

/** Waits until something may have happened. @param known - how much had when it was last looked */
async function somethingHappened(known: number): Promise<void> {
  await setTimeout(restMs);
  if (count !== known) return;
  const tooLong = new AbortController();
  const timer = globalThis.setTimeout(() => tooLong.abort(), lookAgainMs);
  await once(happenings, 'any', { signal: tooLong.signal }).catch((error: unknown) => {
    if (!tooLong.signal.aborted) throw error;
  });
  clearTimeout(timer);
}

/** Databases that others are copied of: one that only has its tables, and one with the demo. */
const templates = { empty: 'template_empty', demo: 'template_demo' } as const;
type Template = keyof typeof templates;

/** What a copy of the demo has to know of the one that it is copied of. */
interface DemoNote {
  readonly secret: string;
  readonly cli: { readonly key: string };
}
const noteAt = join(testFolder, 'demo', 'note.json');

async function makeDatabase(server: string, template?: Template): Promise<{ url: string; name: string }> {
  const name = `test_${randomBytes(6).toString('hex')}`;
  const of = template ? ` TEMPLATE ${templates[template]}` : '';
  await onServer(server, (client) => client.query(`CREATE DATABASE ${name}${of}`));
  const url = new URL(server);
  url.pathname = `/${name}`;
  return { url: url.toString(), name };
}

export function listen(server: Server): Promise<number> {
  return new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)));
}

export interface HouseOptions {
  /** Loads the demo, on 6,000 sailings. */
  readonly hasDemo?: boolean;
  readonly mail?: Omit<MailHostOptions, 'port'>;
  readonly now?: () => number;
  /** The clock of its process, which may be wrong. */
  readonly clock?: () => number;
  /** Address of a server of its own for its records; the one of all tests when left out. */
  readonly server?: string;
  /** Makes everything anew instead of copying what was made for all tests. */
  readonly isAnew?: boolean;
  /** A packed dump of an installation's records, to begin with. */
  readonly dump?: string;
  /** Settings beside the usual ones. */
  readonly environment?: Readonly<Record<string, string>>;
}

/** A whole installation on a database of its own: service, worker, mail host, portal. */
export class House {
  readonly folder = mkdtempSync(join(testFolder!, 'house-'));
  app!: App;
  url!: string;
  mail!: MailHost;
  library: LibraryHost | undefined;
  libraryPassword = '';
  mailboxUrl!: string;
  portalUrl!: string;
  databaseName!: string;
  /** Settings of the service, for more processes of it. */
  environment: Readonly<Record<string, string>> = {};
  worker: Worker | undefined;
  #server: Server | undefined;
  #databaseServer = base!;
  #servers: Server[] = [];
  readonly #keys = new Map<string, string>();

  static async open(options: HouseOptions = {}): Promise<House> {
    const house = new House();
    try {
      await house.#open(options);
    } catch (error) {
      // What listens already would keep its file of tests from ever ending, and so from saying what went wrong.
      await house.#stop();
      throw error;
    }
    return house;
  }

  async #open(options: HouseOptions): Promise<void> {
    this.#databaseServer = options.server ?? base!;
    // What was made before all tests has the clock and the server of all tests.
    const isCopy =
      !options.isAnew && options.dump === undefined && options.server === undefined && options.now === undefined;
    const template: Template | undefined = isCopy ? (options.hasDemo ? 'demo' : 'empty') : undefined;
    const note = template === 'demo' ? (JSON.parse(readFileSync(noteAt, 'utf8')) as DemoNote) : undefined;
    const database = await makeDatabase(this.#databaseServer, template);
    this.databaseName = database.name;
    if (options.dump !== undefined)
      execFileSync(join(findPostgres()!, 'psql'), ['--quiet', '--set=ON_ERROR_STOP=1', database.url], {
        input: gunzipSync(readFileSync(options.dump)),
        stdio: ['pipe', 'ignore', 'inherit'],
      });
    this.mail = new MailHost({
      port: 0,
      ...options.mail,
      onMail: (mail) => {
        options.mail?.onMail?.(mail);
        happened();
      },
    });
    const smtpPort = await this.mail.start();
    const port = await ownPorts();
    const environment = {
      UNDERBELL_PORT: String(port),
      UNDERBELL_DATABASE_URL: database.url,
      UNDERBELL_SECRET: note?.secret ?? randomBytes(32).toString('hex'),
      UNDERBELL_WORK_DIR: join(this.folder, 'spool'),
      UNDERBELL_EXPORT_DIR: join(this.folder, 'deliveries'),
      // Stand-ins and databases of the tests are on this machine.
      UNDERBELL_ALLOWED_PRIVATE_ADDRESSES: '127.0.0.1',
      UNDERBELL_SMTP_URL: `smtp://127.0.0.1:${smtpPort}`,
      UNDERBELL_LOG_LEVEL: 'silent',
      // Files of tests run side by side and keep every core busy: what gives way would wait for all of them.
      UNDERBELL_RENDER_PRIORITY: 'normal',
      UNDERBELL_MAIL_FROM: 'Reports <reports@skerrow.example>',
      UNDERBELL_TIME_ZONE: 'Europe/London',
      UNDERBELL_SCIM_TOKEN: randomBytes(24).toString('hex'),
      ...options.environment,
    };
    this.environment = environment;
    const settings = readSettings(environment);
    mkdirSync(settings.workDir, { recursive: true });
    this.app = openService(settings, pino({ level: process.env['UNDERBELL_TEST_LOG'] ?? 'silent' }), {
      own: options.clock,
      now: options.now,
    });
    if (!isCopy) await migrate(this.app);
    this.url = settings.publicUrl;
    this.app.changes.subscribeJobs(happened);
    this.app.changes.subscribe(happened);
    this.#server = await startWeb(this.app);
    this.mailboxUrl = await this.#serve(createServer(createMailboxPages(this.mail).callback()));
    if (options.hasDemo !== true) return;
    const portal = createServer();
    this.portalUrl = await this.#serve(portal);
    mkdirSync(join(this.folder, 'lists'));
    for (const name of ['quay-managers.csv', 'district-leads.csv'])
      copyFileSync(join(testFolder!, 'lists', name), join(this.folder, 'lists', name));
    const cluster = { port: Number(new URL(base!).port), asOwner, ensureDatabase: async () => false };
    const access = { user: 'reports', password: randomBytes(12).toString('hex') };
    this.libraryPassword = access.password;
    this.library = new LibraryHost({ port: 0, folder: join(this.folder, 'library'), ...access });
    const library = { url: `http://127.0.0.1:${await this.library.start()}`, ...access };
    if (note) {
      for (const name of ['portal.json', 'directory.json'])
        copyFileSync(join(testFolder!, 'demo', name), join(this.folder, name));
      const cli = { ...note.cli, url: this.url };
      writeFileSync(join(this.folder, 'cli.json'), JSON.stringify(cli), { mode: 0o600 });
      await pointDemo(this.url, cli.key, { portalUrl: this.portalUrl, library });
    } else await installDemo({ cluster, folder: this.folder, environment, portalUrl: this.portalUrl, library });
    const setup = JSON.parse(readFileSync(join(this.folder, 'portal.json'), 'utf8')) as PortalSetup;
    portal.on('request', createPortal(setup, this.url).callback());
    this.worker = startWorker(this.app);
  }

  async #serve(server: Server): Promise<string> {
    this.#servers.push(server);
    return `http://127.0.0.1:${await listen(server)}`;
  }

  /** Leaves its database behind, as one that others are copied of. */
  async #becomeTemplate(template: Template): Promise<void> {
    await this.#stop();
    await asOwner((client) => client.query(`ALTER DATABASE ${this.databaseName} RENAME TO ${templates[template]}`));
  }

  /** Makes what houses are copied of, once for all tests. */
  static async makeTemplates(): Promise<void> {
    await (await House.open({ isAnew: true })).#becomeTemplate('empty');
    const house = await House.open({ isAnew: true, hasDemo: true });
    mkdirSync(join(testFolder!, 'demo'));
    for (const name of ['portal.json', 'directory.json'])
      copyFileSync(join(house.folder, name), join(testFolder!, 'demo', name));
    const note: DemoNote = {
      secret: house.environment['UNDERBELL_SECRET']!,
      cli: JSON.parse(readFileSync(join(house.folder, 'cli.json'), 'utf8')) as DemoNote['cli'],
    };
    writeFileSync(noteAt, JSON.stringify(note));
    // No test may depend on its date: bursts of the demo run by schedule only where a test saves one.
    await house.app.records.query('UPDATE bursts SET next_run_at = NULL');
    await house.#becomeTemplate('demo');
  }

  get portalSetup(): PortalSetup {
    return JSON.parse(readFileSync(join(this.folder, 'portal.json'), 'utf8')) as PortalSetup;
  }

  async close(): Promise<void> {
    await this.#stop();
    await onServer(this.#databaseServer, (client) =>
      client.query(`DROP DATABASE IF EXISTS ${this.databaseName} WITH (FORCE)`),
    );
  }

  async #stop(): Promise<void> {
    await this.worker?.stop();
    if (this.#server) await stopWeb(this.#server);
    for (const server of this.#servers) {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    }
    // A house that could not be opened has not all of them.
    const { mail, app } = this as Partial<Pick<House, 'mail' | 'app'>>;
    await mail?.stop();
    await this.library?.stop();
    if (app) await closeApp(app);
  }

  /** Ends every connection to this house's database, as a restart of the server does. */
  async cutConnections(): Promise<void> {
    await onServer(this.#databaseServer, (client) =>
      client.query('SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1', [this.databaseName]),
    );
  }

  /** A bearer key of a person, signed in once. */
  async keyOf(email: string, password = demoPassword): Promise<string> {
    const known = this.#keys.get(email);
    if (known) return known;
    const answer = await fetch(`${this.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ email, password, kind: 'command line' }),
    });
    const { key } = (await answer.json()) as { key: string };
    this.#keys.set(email, key);
    return key;
  }

  async call(
    method: string,
    path: string,
    options: {
      as?: string;
      token?: string;
      body?: unknown;
      csv?: string | Buffer;
      /** Form fields, as OAuth endpoints take them. */
      form?: URLSearchParams;
      headers?: Record<string, string>;
    } = {},
  ): Promise<Answer> {
    const bearer = options.token ?? (options.as ? await this.keyOf(options.as) : undefined);
    const answer = await fetch(`${this.url}${path}`, {
      method,
      redirect: 'manual',
      headers: {
        ...(bearer ? { Authorization: `Bearer ${bearer}` } : {}),
        ...(options.csv === undefined
          ? options.body === undefined
            ? {}
            : { 'Content-Type': 'application/json' }
          : { 'Content-Type': 'text/csv' }),
        ...options.headers,
      },
      ...(options.csv === undefined
        ? options.body === undefined
          ? {}
          : { body: JSON.stringify(options.body) }
        : { body: options.csv as never }),
      ...(options.form ? { body: options.form } : {}),
    });
    const text = await answer.text();
    const isJson =
      (answer.headers.get('content-type') ?? '').includes('json') &&
      !(answer.headers.get('content-type') ?? '').includes('ndjson');
    return {
      status: answer.status,
      headers: answer.headers,
      text,
      body: isJson ? (JSON.parse(text) as never) : ({} as never),
    };
  }

  /** Waits for a run to finish. */
  finished(id: number, as: string): Promise<DeliveryLog> {
    return until(async () => {
      const { body } = await this.call('GET', `/api/v1/runs/${id}`, { as });
      const run = body as unknown as DeliveryLog;
      return run.state !== 'waiting' && run.state !== 'running' ? run : undefined;
    });
  }
}

/** What has not come after so long never comes. */
const patienceMs = 180_000;

/**
 * Waits until something is there: looks again when a job, a change or a letter is told of.
 *
 * @param look - finds it; nothing or false where it is not there yet
 */
export async function until<T>(look: () => T | undefined | false | Promise<T | undefined | false>): Promise<T> {
  const began = performance.now();
  for (;;) {
    const known = count;
    const found = await look();
    if (found !== undefined && found !== false) return found;
    if (performance.now() - began > patienceMs) throw new Error(`waited in vain for ${look.toString()}`);
    await somethingHappened(known);
  }
}

export interface Answer {
  readonly status: number;
  readonly headers: Headers;
  readonly text: string;
  readonly body: Record<string, never> & Partial<ProblemDocument>;
}

export interface DeliveryLog {
  readonly id: number;
  readonly period: string;
  readonly state: string;
  readonly error: string | null;
  readonly rowsRead: number;
  readonly counts: Readonly<Record<'recipients' | 'planned' | 'skipped' | 'sent' | 'failed' | 'inDoubt', number>>;
  readonly entries: readonly {
    readonly recipient: string;
    readonly rows: number;
    readonly state: string;
    readonly reason: string | null;
    readonly files: readonly { readonly name: string; readonly sha256?: string; readonly sizeBytes?: number }[];
  }[];
}

export const administrator = 'osric.hale@skerrow.example';
export const publisher = 'mara.venn@skerrow.example';
export const manager = 'quay17@skerrow.example';
export const board = 'board@harbourboard.example';
