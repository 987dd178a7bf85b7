import { isIP } from 'node:net';
import Joi from 'joi';
import { readAs, validate, type Inferred } from '@underbell/core/check';
import { isTimeZone } from '@underbell/core/format';
import { Refusal } from '@underbell/core/refusal';
import type { AllowedAddress } from './addressPolicy.ts';
import { priorities, type Priority } from './priority.ts';

/** What files that people send in may be. */
export interface UploadLimits {
  readonly maxBytes: number;
  /** Of one row. */
  readonly maxLineBytes: number;
  readonly maxCells: number;
  /** Of a workbook, once it is unpacked. */
  readonly maxUnpackedBytes: number;
  /** Unpacked bytes for each packed one. */
  readonly maxRatio: number;
  /** Files of one person that are taken in or wait to be loaded. */
  readonly maxEach: number;
}

/** How many connections to its database a process opens at most, by what they are for. */
export interface ConnectionLimits {
  /** Rows and figures that people look at. */
  readonly readers: number;
  /** Rows that people fetch as files. */
  readonly downloads: number;
  /** Loads, bursts and other planned work. */
  readonly planned: number;
  /** Records: everything but rows. */
  readonly records: number;
  /** Who is signed in, which every request asks. */
  readonly sessions: number;
}

/** What the surroundings decide. Read once, at start. */
export interface Settings {
  readonly role: 'web' | 'worker' | 'all';
  readonly priority: Priority;
  readonly host: string;
  readonly port: number;
  /** Address under which people reach the service, without a closing slash; issuer of tokens. */
  readonly publicUrl: string;
  readonly databaseUrl: string;
  /** Encrypts passwords of sources and signing keys at rest. At least 32 characters. */
  readonly secret: string;
  /** Folder for copies on their way. */
  readonly workDir: string;
  /** Folder below which directory destinations lie; without it there are none. */
  readonly exportDir?: string;
  /** Addresses of this machine, each with its port or with all, that people's sources and destinations may be at. */
  readonly allowedPrivateAddresses: readonly AllowedAddress[];
  readonly smtpUrl: string;
  readonly mailFrom: string;
  /** Mail address that notices of undeliverable letters come back to; a mark for each letter is added to it. */
  readonly bounceAddress?: string;
  /** Where the service listens for them, as the mail host hands them on: smtp://127.0.0.1:2525 */
  readonly bounceListenUrl?: string;
  /** IANA time zone of "today" and of everything printed. */
  readonly timeZone: string;
  /** BCP 47 language tag of everything printed. */
  readonly locale: string;
  readonly logLevel: string;
  /** How much of figures' answers a process keeps, in bytes. */
  readonly cacheBytes: number;
  readonly uploads: UploadLimits;
  readonly connections: ConnectionLimits;
  /** How long a process may stand still within a transaction before the database ends it, with its locks. */
  readonly transactionIdleSeconds: number;
  /** How many days what has ended is kept, and how many revisions of a dataset. */
  readonly keep: {
    readonly jobsDays: number;
    readonly tokensDays: number;
    readonly usageDays: number;
    readonly versions: number;
  };
  /** Addresses and networks of the proxies in front of the service, whose word about who asks counts. */
  readonly trustedProxies: readonly string[];
  /** An outside OpenID Connect provider to sign in with. */
  readonly directory?: { readonly issuer: string; readonly clientId: string; readonly clientSecret: string };
  /** What the directory shows when it provisions people and groups by SCIM. */
  readonly scimToken?: string;
}

const url = (schemes: string[]) => Joi.string().uri({ scheme: schemes });

const connections = (usual: number) => Joi.number().integer().min(1).max(1_000).default(usual);

const schema = Joi.object({
  UNDERBELL_ROLE: Joi.string().valid('web', 'worker', 'all').default('all'),
  UNDERBELL_RENDER_PRIORITY: Joi.string()
    .valid(...priorities)
    .default('idle'),
  UNDERBELL_HOST: Joi.string().hostname().default('127.0.0.1'),
  UNDERBELL_PORT: Joi.number().port().default(7300),
  UNDERBELL_PUBLIC_URL: url(['http', 'https']),
  UNDERBELL_DATABASE_URL: url(['postgres', 'postgresql']).required(),
  UNDERBELL_SECRET: Joi.string().min(32).required(),
  UNDERBELL_WORK_DIR: Joi.string().required(),
  UNDERBELL_EXPORT_DIR: Joi.string(),
  UNDERBELL_ALLOWED_PRIVATE_ADDRESSES: readAs<AllowedAddress[] | ''>()(
    Joi.string().allow('').default('').custom(readAllowedAddresses, 'addresses'),
  ),
  UNDERBELL_SMTP_URL: url(['smtp', 'smtps']).default('smtp://127.0.0.1:7301'),
  UNDERBELL_MAIL_FROM: Joi.string().default('Under Bell <reports@underbell.example>'),
  UNDERBELL_BOUNCE_ADDRESS: Joi.string().email({ tlds: false }),
  UNDERBELL_BOUNCE_LISTEN_URL: url(['smtp']),
  UNDERBELL_TIME_ZONE: Joi.string().custom(timeZone, 'time zone').default('UTC'),
  UNDERBELL_LOCALE: Joi.string().default('en-GB'),
  UNDERBELL_LOG_LEVEL: Joi.string().valid('silent', 'error', 'warn', 'info', 'debug').default('info'),
  UNDERBELL_CACHE_MIB: Joi.number().min(0).max(65_536).default(128),
  UNDERBELL_KEEP_JOBS_DAYS: Joi.number().min(1).max(3_650).default(14),
  UNDERBELL_KEEP_TOKENS_DAYS: Joi.number().min(0).max(3_650).default(30),
  UNDERBELL_KEEP_USAGE_DAYS: Joi.number().min(2).max(3_650).default(400),
  UNDERBELL_KEEP_VERSIONS: Joi.number().integer().min(1).max(100).default(3),
  UNDERBELL_READER_CONNECTIONS: connections(12),
  UNDERBELL_DOWNLOAD_CONNECTIONS: connections(6),
  UNDERBELL_PLANNED_CONNECTIONS: connections(4),
  UNDERBELL_RECORD_CONNECTIONS: connections(10),
  UNDERBELL_SESSION_CONNECTIONS: connections(6),
  UNDERBELL_TRANSACTION_IDLE_SECONDS: Joi.number().integer().min(1).max(3_600).default(20),
  UNDERBELL_TRUSTED_PROXIES: readAs<string[] | ''>()(
    Joi.string().allow('').default('').custom(readNetworks, 'networks'),
  ),
  UNDERBELL_UPLOAD_MAX_MIB: Joi.number().min(1).max(1_048_576).default(4_096),
  UNDERBELL_UPLOAD_MAX_ROW_KIB: Joi.number().min(1).max(65_536).default(1_024),
  UNDERBELL_UPLOAD_MAX_CELLS: Joi.number().integer().min(1_000).default(500_000_000),
  UNDERBELL_UPLOAD_MAX_UNPACKED_MIB: Joi.number().min(1).max(65_536).default(1_024),
  UNDERBELL_UPLOAD_MAX_UNPACK_RATIO: Joi.number().min(10).max(10_000).default(200),
  UNDERBELL_MAX_PENDING_UPLOADS: Joi.number().integer().min(1).max(1_000).default(10),
  UNDERBELL_OIDC_ISSUER: url(['http', 'https']).custom(issuer, 'issuer'),
  UNDERBELL_OIDC_CLIENT_ID: Joi.string(),
  UNDERBELL_OIDC_CLIENT_SECRET: Joi.string(),
  UNDERBELL_SCIM_TOKEN: Joi.string().min(32),
})
  .and('UNDERBELL_BOUNCE_ADDRESS', 'UNDERBELL_BOUNCE_LISTEN_URL')
  .and('UNDERBELL_OIDC_ISSUER', 'UNDERBELL_OIDC_CLIENT_ID', 'UNDERBELL_OIDC_CLIENT_SECRET')
  .unknown(true);

/** Secrets and sign-ins go over TLS, except to a stand-in on this machine. */
function issuer(value: string): string {
  const { protocol, hostname } = new URL(value);
  if (protocol === 'https:' || hostname === '127.0.0.1') return value;
  throw new Error('it must start with https:// unless it is on 127.0.0.1');
}

/** `127.0.0.1:7306, ::1`: addresses with or without a port. */
function readAllowedAddresses(text: string): AllowedAddress[] {
  return partsOf(text).map((one) => {
    const [, bracketed, plain, port] = /^(?:\[([^\]]+)\]|([^:[\]]+|[0-9a-f:]+?))(?::(\d{1,5}))?$/i.exec(one) ?? [];
    const address = isIP(one) === 6 ? one : (bracketed ?? plain ?? '');
    if (isIP(address) === 0) throw new Error(`“${one}” is not an address; write 127.0.0.1:5432 or [::1]:5432`);
    return { address, ...(port !== undefined && isIP(one) !== 6 ? { port: Number(port) } : {}) };
  });
}

const partsOf = (text: string) =>
  text
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '');

/** `10.0.0.0/8, ::1`: addresses, or networks by their bits. */
function readNetworks(text: string): string[] {
  return partsOf(text).map((one) => {
    const [address = '', bits] = one.split('/');
    const most = isIP(address) === 6 ? 128 : isIP(address) === 4 ? 32 : -1;
    if (most < 0 || (bits !== undefined && !(Number(bits) >= 0 && Number(bits) <= most)))
      throw new Error(`“${one}” is neither an address nor a network; write 10.0.0.0/8`);
    return one;
  });
}

function timeZone(value: string): string {
  if (isTimeZone(value)) return value;
  throw new Error('it is no time zone; write one like Europe/Athens');
}

/** Settings of earlier versions with the names that they have now. A service that ignored them would run with other limits than meant. */
const renamedSettings: Readonly<Record<string, string>> = {
  UNDERBELL_SPOOL: 'UNDERBELL_WORK_DIR',
  UNDERBELL_DELIVERIES: 'UNDERBELL_EXPORT_DIR',
  UNDERBELL_BOUNCES_TO: 'UNDERBELL_BOUNCE_ADDRESS',
  UNDERBELL_BOUNCES_AT: 'UNDERBELL_BOUNCE_LISTEN_URL',
  UNDERBELL_REACHABLE: 'UNDERBELL_ALLOWED_PRIVATE_ADDRESSES',
  UNDERBELL_PRIORITY: 'UNDERBELL_RENDER_PRIORITY',
  UNDERBELL_CACHE_MEBIBYTES: 'UNDERBELL_CACHE_MIB',
  UNDERBELL_KEEP_METER_DAYS: 'UNDERBELL_KEEP_USAGE_DAYS',
  UNDERBELL_KEEP_REVISIONS: 'UNDERBELL_KEEP_VERSIONS',
  UNDERBELL_UPLOAD_MEBIBYTES: 'UNDERBELL_UPLOAD_MAX_MIB',
  UNDERBELL_UPLOAD_ROW_KIBIBYTES: 'UNDERBELL_UPLOAD_MAX_ROW_KIB',
  UNDERBELL_UPLOAD_CELLS: 'UNDERBELL_UPLOAD_MAX_CELLS',
  UNDERBELL_UPLOAD_UNPACKED_MEBIBYTES: 'UNDERBELL_UPLOAD_MAX_UNPACKED_MIB',
  UNDERBELL_UPLOAD_RATIO: 'UNDERBELL_UPLOAD_MAX_UNPACK_RATIO',
  UNDERBELL_UPLOADS_EACH: 'UNDERBELL_MAX_PENDING_UPLOADS',
};

/**
 * Reads the settings from the environment.
 *
 * @throws {Refusal} `SETTING_INVALID`, naming each setting that is missing, wrong or renamed
 */
export function readSettings(environment: Readonly<Record<string, string | undefined>>): Settings {
  const renamed = Object.entries(renamedSettings).filter(([name]) => environment[name] !== undefined);
  if (renamed.length > 0)
    throw new Refusal(
      'SETTING_INVALID',
      renamed.map(([name, now]) => `The setting ${name} is now called ${now}.`).join(' '),
      {
        hint: 'Rename it where the service is started; values stay, except that the priority “usual” is now “normal”.',
      },
    );
  const read = validate(environment, schema, { convert: true });
  if (read.problems) {
    const problems = read.problems.map((one) => ({ ...one, at: one.at.slice(1) }));
    throw new Refusal('SETTING_INVALID', problems.map((one) => one.message).join('; '), { problems });
  }
  const value = read.value as Inferred<typeof schema>;
  const publicUrl: string = value.UNDERBELL_PUBLIC_URL ?? `http://${value.UNDERBELL_HOST}:${value.UNDERBELL_PORT}`;
  return {
    role: value.UNDERBELL_ROLE,
    priority: value.UNDERBELL_RENDER_PRIORITY,
    host: value.UNDERBELL_HOST,
    port: value.UNDERBELL_PORT,
    publicUrl: publicUrl.replace(/\/$/, ''),
    databaseUrl: value.UNDERBELL_DATABASE_URL,
    secret: value.UNDERBELL_SECRET,
    workDir: value.UNDERBELL_WORK_DIR,
    ...(value.UNDERBELL_EXPORT_DIR ? { exportDir: value.UNDERBELL_EXPORT_DIR } : {}),
    allowedPrivateAddresses:
      value.UNDERBELL_ALLOWED_PRIVATE_ADDRESSES === '' ? [] : value.UNDERBELL_ALLOWED_PRIVATE_ADDRESSES,
    smtpUrl: value.UNDERBELL_SMTP_URL,
    mailFrom: value.UNDERBELL_MAIL_FROM,
    ...(value.UNDERBELL_BOUNCE_ADDRESS
      ? { bounceAddress: value.UNDERBELL_BOUNCE_ADDRESS, bounceListenUrl: value.UNDERBELL_BOUNCE_LISTEN_URL }
      : {}),
    timeZone: value.UNDERBELL_TIME_ZONE,
    locale: value.UNDERBELL_LOCALE,
    logLevel: value.UNDERBELL_LOG_LEVEL,
    cacheBytes: value.UNDERBELL_CACHE_MIB * 1_048_576,
    keep: {
      jobsDays: value.UNDERBELL_KEEP_JOBS_DAYS,
      tokensDays: value.UNDERBELL_KEEP_TOKENS_DAYS,
      usageDays: value.UNDERBELL_KEEP_USAGE_DAYS,
      versions: value.UNDERBELL_KEEP_VERSIONS,
    },
    connections: {
      readers: value.UNDERBELL_READER_CONNECTIONS,
      downloads: value.UNDERBELL_DOWNLOAD_CONNECTIONS,
      planned: value.UNDERBELL_PLANNED_CONNECTIONS,
      records: value.UNDERBELL_RECORD_CONNECTIONS,
      sessions: value.UNDERBELL_SESSION_CONNECTIONS,
    },
    transactionIdleSeconds: value.UNDERBELL_TRANSACTION_IDLE_SECONDS,
    trustedProxies: value.UNDERBELL_TRUSTED_PROXIES === '' ? [] : value.UNDERBELL_TRUSTED_PROXIES,
    uploads: {
      maxBytes: value.UNDERBELL_UPLOAD_MAX_MIB * 1_048_576,
      maxLineBytes: value.UNDERBELL_UPLOAD_MAX_ROW_KIB * 1_024,
      maxCells: value.UNDERBELL_UPLOAD_MAX_CELLS,
      maxUnpackedBytes: value.UNDERBELL_UPLOAD_MAX_UNPACKED_MIB * 1_048_576,
      maxRatio: value.UNDERBELL_UPLOAD_MAX_UNPACK_RATIO,
      maxEach: value.UNDERBELL_MAX_PENDING_UPLOADS,
    },
    ...(value.UNDERBELL_OIDC_ISSUER
      ? {
          directory: {
            issuer: value.UNDERBELL_OIDC_ISSUER,
            clientId: value.UNDERBELL_OIDC_CLIENT_ID,
            clientSecret: value.UNDERBELL_OIDC_CLIENT_SECRET,
          },
        }
      : {}),
    ...(value.UNDERBELL_SCIM_TOKEN ? { scimToken: value.UNDERBELL_SCIM_TOKEN } : {}),
  };
}
