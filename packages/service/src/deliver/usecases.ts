import { randomBytes } from 'node:crypto';
import type { PersonViewer } from '@underbell/core/access';
import {
  destinationName,
  folderPath,
  ownMail,
  rateWords,
  type BurstDestination,
  type DestinationKind,
  type Rate,
} from '@underbell/core/burst';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import {
  notFound,
  putOwner,
  requireAdministrator,
  requireAuthor,
  requireRight,
  visibleNames,
} from '../access/index.ts';
import {
  checkReach,
  emit,
  enqueueOnce,
  holdName,
  hurry,
  remember,
  type App,
  type JobHandler,
} from '../platform/index.ts';
import type { ShownDestination } from '@underbell/core/deliver';
import { DirectoryTransport } from './serverFolder.ts';
import { LibraryTransport } from './webdav.ts';
import { MailTransport } from './mail.ts';
import type { Transport } from './transport.ts';
import { changeDestination, findDestination, isOwnMail, listDestinations, noteTest, putDestination } from './store.ts';
import { destinationPolicy, operatorPolicy } from './addressPolicy.ts';
import { WebhookTransport } from './webhook.ts';
import type { DestinationRow } from './models.ts';

/** What somebody says of a destination; credentials are kept encrypted and never shown again. */
export interface DestinationForm {
  readonly kind: DestinationKind;
  /** `smtp://`, `https://` or a folder. */
  readonly address: string;
  readonly user?: string;
  readonly password?: string;
  /** Who mail comes from. */
  readonly from?: string;
  readonly rates: readonly Rate[];
  readonly parallel: number;
}

interface Sealed {
  readonly address: string;
  readonly user?: string;
  readonly password?: string;
  readonly from?: string;
  readonly secret?: string;
}

const purpose = 'destination';
const opened = (app: App, row: DestinationRow): Sealed =>
  row.sealed === null ? { address: row.address } : (JSON.parse(app.vault.open(row.sealed, purpose)) as Sealed);

const schemes: Readonly<Record<Exclude<DestinationKind, 'directory'>, readonly string[]>> = {
  mail: ['smtp:', 'smtps:'],
  library: ['https:', 'http:'],
  webhook: ['https:', 'http:'],
};

/** @throws {Refusal} `INPUT_INVALID`, `ADDRESS_FORBIDDEN` */
async function checkAddress(app: App, { kind, address }: DestinationForm): Promise<void> {
  const wrong = (message: string, hint: string) =>
    new Refusal('INPUT_INVALID', message, { pointer: '/address', word: address, hint });
  if (kind === 'directory') {
    if (app.settings.exportDir === undefined)
      throw wrong('No folder for exports is set.', 'The operator sets UNDERBELL_EXPORT_DIR.');
    return;
  }
  let url: URL;
  try {
    url = new URL(address);
  } catch {
    throw wrong(
      `“${address}” is not a URL.`,
      kind === 'mail' ? 'smtps://mail.example' : 'https://files.example/reports',
    );
  }
  if (!schemes[kind].includes(url.protocol))
    throw wrong(`A destination of type ${kind} cannot use “${url.protocol}”.`, schemes[kind].join(' or '));
  if (url.username || url.password)
    throw wrong('The URL contains credentials.', 'Enter username and password separately.');
  const isHere = ['127.0.0.1', '[::1]', 'localhost'].includes(url.hostname);
  if (url.protocol === 'http:' && !isHere) throw wrong('Confidential data needs TLS: use https.', 'https://');
  await checkReach(destinationPolicy(app), url.hostname, Number(url.port || usualPorts[url.protocol]));
}

const usualPorts: Readonly<Record<string, number>> = { 'http:': 80, 'https:': 443, 'smtp:': 25, 'smtps:': 465 };

/** Saves a destination. @returns the secret of a webhook's signatures, shown this once */
export async function saveDestination(
  app: App,
  person: PersonViewer,
  name: string,
  form: DestinationForm,
  origin: string,
): Promise<{ destination: ReturnType<typeof shown>; secret?: string }> {
  if (isOwnMail(name)) return { destination: await limitOwnMail(app, person, form, origin) };
  const known = await findDestination(app, name);
  if (known) await requireRight(app, person, 'edit', 'destination', name);
  else await requireAuthor(app, person, 'destination');
  if (form.kind === 'directory') requireAdministrator(person);
  if (known && known.kind !== form.kind)
    throw new Refusal('INPUT_INVALID', `Destination “${name}” has type ${known.kind}.`, {
      pointer: '/kind',
      word: form.kind,
    });
  await checkAddress(app, form);
  const before = known ? opened(app, known) : undefined;
  const { kind, address, user, from } = form;
  // An address that changes must not be handed the password that was meant for the other.
  const password = form.password ?? (before?.address === address ? before.password : undefined);
  const secret = kind === 'webhook' ? (before?.secret ?? `whsec_${randomBytes(32).toString('base64')}`) : undefined;
  const sealed: Sealed = {
    address,
    ...(user ? { user } : {}),
    ...(password ? { password } : {}),
    ...(from ? { from } : {}),
    ...(secret ? { secret } : {}),
  };
  await app.records.transaction(async () => {
    const row = {
      name,
      kind,
      address,
      sealed: app.vault.seal(JSON.stringify(sealed), purpose),
      rates: [...form.rates],
      parallel: form.parallel,
    };
    await holdName(app, { kind: 'destination', name }, known !== undefined);
    await putDestination(app, row);
    if (!known) await putOwner(app, person, { kind: 'destination', name });
    await remember(app, {
      who: person.email,
      what: 'destination saved',
      thing: `destination ${name}`,
      origin,
      after: { kind, address, user, rates: form.rates, parallel: form.parallel },
    });
  });
  const destination = shown((await findDestination(app, name))!);
  return { destination, ...(secret && !before ? { secret } : {}) };
}

/** The installation's own mail host is set where the service is started; only how fast it takes letters is said here. */
async function limitOwnMail(app: App, person: PersonViewer, form: DestinationForm, origin: string) {
  requireAdministrator(person);
  const { rates, parallel } = form;
  await app.records.transaction(async () => {
    await changeDestination(app, ownMail, { rates: [...rates], parallel });
    await remember(app, {
      who: person.email,
      what: 'limits changed',
      thing: `destination ${ownMail}`,
      origin,
      after: { rates, parallel },
    });
  });
  return shown((await findDestination(app, ownMail))!);
}

const shown = ({ sealed: _, ...row }: DestinationRow): ShownDestination<Date> => ({
  ...row,
  limits: row.rates.map(rateWords),
});

/** A destination that somebody may send to. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function requireNamed(
  app: App,
  person: PersonViewer,
  name: string,
  level: 'view' | 'edit',
): Promise<DestinationRow> {
  const found = await findDestination(app, name);
  if (!found) {
    const all = (await listDestinations(app)).map((one) => one.name);
    throw notFound('destination', name, await visibleNames(app, person, 'destination', all));
  }
  if (!isOwnMail(name)) await requireRight(app, person, level, 'destination', name);
  else if (level === 'edit') requireAdministrator(person);
  return found;
}

/** The destination of a burst. @throws {Refusal} `BURST_INVALID` where it is of another kind */
export async function requireDestination(app: App, person: PersonViewer, wanted: BurstDestination): Promise<void> {
  const found = await requireNamed(app, person, destinationName(wanted), 'view');
  if (found.kind === wanted.kind) return;
  throw new Refusal('BURST_INVALID', `Destination “${found.name}” has type ${found.kind}, not ${wanted.kind}.`, {
    pointer: '/destination/to',
    word: found.name,
  });
}

export async function seenDestinations(app: App, person: PersonViewer) {
  const all = await listDestinations(app);
  const names = await visibleNames(
    app,
    person,
    'destination',
    all.map((one) => one.name),
  );
  return all.filter((one) => isOwnMail(one.name) || names.includes(one.name)).map(shown);
}

export async function showDestination(app: App, person: PersonViewer, name: string) {
  return shown(await requireNamed(app, person, name, 'view'));
}

/** Pauses a destination, or lets it take copies again; runs that wait for it go on by themselves. */
export async function pauseDestination(
  app: App,
  person: PersonViewer,
  name: string,
  wish: { isPaused: boolean; origin: string },
) {
  await requireNamed(app, person, name, 'edit');
  const change = wish.isPaused
    ? { state: 'paused' as const, reason: `by ${person.name}`, stateAt: new Date(app.now()) }
    : { state: 'ready' as const, reason: null, stateAt: null, failures: 0 };
  await app.records.transaction(async () => {
    await changeDestination(app, name, change);
    await remember(app, {
      who: person.email,
      what: wish.isPaused ? 'paused' : 'opened again',
      thing: `destination ${name}`,
      origin: wish.origin,
    });
  });
  if (!wish.isPaused) await hurry(app, 'burst.run', {});
  return showDestination(app, person, name);
}

/** The way to a mail host: the installation's own, or one of the destinations. */
export async function openMail(app: App, name: string): Promise<MailTransport> {
  if (isOwnMail(name)) return new MailTransport(app.settings, operatorPolicy(app));
  const row = await findDestination(app, name);
  if (!row) throw notFound('destination', name, []);
  const { address, user, password, from } = opened(app, row);
  return new MailTransport(
    { smtpUrl: address, mailFrom: from ?? app.settings.mailFrom },
    destinationPolicy(app),
    user ? { user, pass: password ?? '' } : undefined,
  );
}

/** The way to a destination that takes files. */
export async function openTransport(app: App, name: string): Promise<Transport> {
  const row = await findDestination(app, name);
  if (!row) throw notFound('destination', name, []);
  const { address, user, password, secret } = opened(app, row);
  if (row.kind === 'library')
    return new LibraryTransport(
      { url: address, ...(user ? { user } : {}), ...(password ? { password } : {}) },
      destinationPolicy(app),
    );
  if (row.kind === 'webhook')
    return new WebhookTransport(
      { url: address, secret: secret!, source: app.settings.publicUrl },
      app.now,
      destinationPolicy(app),
    );
  if (app.settings.exportDir === undefined)
    throw new Refusal('DESTINATION_CLOSED', 'No folder for exports is set.', {
      hint: 'The operator sets UNDERBELL_EXPORT_DIR.',
    });
  return new DirectoryTransport(app.settings.exportDir, folderPath(address, {}));
}

/** Tries a destination out, really. What fails is kept beside it, for everybody to see. */
export async function testDestination(app: App, person: PersonViewer, name: string) {
  const row = await requireNamed(app, person, name, 'view');
  const start = performance.now();
  try {
    const words = await tryOut(app, row);
    await noteTest(app, name, null);
    return { destination: name, words, ms: Math.round(performance.now() - start) };
  } catch (error) {
    if (isRefusal(error)) await noteTest(app, name, error.message);
    throw error;
  }
}

async function tryOut(app: App, row: DestinationRow): Promise<string> {
  if (row.kind !== 'mail') return (await openTransport(app, row.name)).test();
  const transport = await openMail(app, row.name);
  try {
    await transport.check();
    return 'The mail server accepted the sign-in.';
  } finally {
    transport.close();
  }
}

/** Lets a worker look whether a destination that stopped by itself takes copies again; one look at a time. */
export async function askToLook(app: App, name: string): Promise<void> {
  await enqueueOnce(app, 'destination.look', { name });
}

/** Looks whether a destination that stopped by itself takes copies again; then those who wait for it are told. */
export const lookJob: JobHandler = async (app, job) => {
  const { name } = job.payload as { name: string };
  const row = await findDestination(app, name);
  if (row?.state !== 'failing') return;
  try {
    await tryOut(app, row);
  } catch (error) {
    if (!isRefusal(error)) throw error;
    await changeDestination(app, name, { reason: error.message });
    return;
  }
  await app.records.transaction(async () => {
    await changeDestination(app, name, { state: 'ready', reason: null, stateAt: null, failures: 0 });
    await emit(app, 'destination.ready', { name });
  });
};
