import { readFile } from 'node:fs/promises';
import { setTimeout } from 'node:timers/promises';
import {
  destinationName,
  failuresToPause,
  fillTemplate,
  folderPath,
  goesAsLinks,
  keepingOf,
  ownMail,
  recipientsOfCopies,
  runStart,
  templateValues,
  writeLetter,
  type DeliveryState,
  type PageNumbers,
  type BurstDestination,
  type FolderDestination,
  type MailDestination,
  type Recipient,
} from '@underbell/core/burst';

import { isRefusal, Refusal } from '@underbell/core/refusal';
import {
  findDestination,
  isFailing,
  lookAgain,
  messageIdOf,
  noteFailure,
  noteSuccess,
  openMail,
  openRoad,
  takeTurn,
  type MailCopy,
  type MailRoad,
  type Road,
} from '../deliver/index.ts';
import { patiently, sideBySide, type App } from '../platform/index.ts';
import { makeLinks } from './links.ts';
import { findList, listRecipients } from './listStore.ts';
import { mediaTypeOf, mediaTypes } from './mediaTypes.ts';
import type { PreparedBurst } from './prepare.ts';
import { bounceAddress } from './bounces.ts';
import { unsubscribeAddress } from './unsubscribe.ts';
import { listDeliveries, moveDeliveries, type DeliveryRow, type MadeFile } from './deliveryStore.ts';
import { type RunRow } from './store.ts';

/** How long to wait before a copy that was not taken is offered again; none may have arrived twice by it. */
const retryMs = [1_000, 5_000, 20_000];
/** So many copies are offered at once, where a destination takes them. */
const maxLanes = 10;
/** A wait is looked up from so often, to see whether the run is to stop. */
const sliceMs = 1_000;

/** A wait that is longer is not sat out: the worker does other work meanwhile. */
const longestSatOutMs = 20_000;

/** Thrown to leave a run until its destination takes copies again; what is ready stays ready. */
export class RunWaits extends Error {
  /** @param forMs - how long its limits keep it from taking any; nothing where that cannot be known */
  constructor(
    message: string,
    readonly forMs?: number,
  ) {
    super(message, { cause: new Refusal('DESTINATION_PAUSED', message) });
  }
}

/** What sending needs of the run that it belongs to. */
export interface Sending {
  readonly run: RunRow;
  readonly burst: PreparedBurst;
  readonly keptUntil: Date;
  readonly pathOf: (file: MadeFile) => string;
  /** Sees whether the run goes on, and says what is being done; throws when it does not. */
  readonly look: (phase?: string) => Promise<void>;
}

/** Whether putting a copy there a second time would be noticed. */
const isMailed = (run: RunRow) => run.isTest || run.definition.destination.kind === 'mail';

/**
 * Settles copies that were on the wire when a worker died: mail may have arrived, and a person decides; files that are
 * put into a place can be put there again.
 */
export async function settleInterrupted(app: App, run: RunRow): Promise<void> {
  const doubtful = { state: 'in doubt', reason: 'the worker stopped while this copy was on the wire' } as const;
  if (isMailed(run)) {
    await moveDeliveries(app, { run: run.id }, ['sending'], doubtful);
    return;
  }
  for (const { id, places } of await listDeliveries(app, run.id, ['sending'])) {
    // Its files lie there: it was the letter about them that was on the wire.
    const wasLetter = places !== null && 'announce' in run.definition.destination;
    await moveDeliveries(app, { ids: [id] }, ['sending'], wasLetter ? doubtful : { state: 'rendered' });
  }
}

/**
 * Sends what becomes ready, within the destination's limits.
 *
 * @param ready - copies with their files, as they come
 * @throws {RunWaits} when the destination has stopped
 */
export async function sendCopies(app: App, sending: Sending, ready: AsyncIterable<DeliveryRow>): Promise<void> {
  const sender = new Sender(app, sending);
  try {
    await sender.send(ready);
  } finally {
    sender.close();
  }
}

class Sender {
  readonly #app: App;
  readonly #sending: Sending;
  readonly #destination: BurstDestination;
  readonly #name: string;
  #mail: MailRoad | undefined;
  #road: Road | undefined;

  constructor(app: App, sending: Sending) {
    this.#app = app;
    this.#sending = sending;
    const { run } = sending;
    this.#destination = run.definition.destination;
    this.#name = run.isTest ? ownMail : destinationName(this.#destination);
  }

  close(): void {
    this.#mail?.close();
  }

  async send(ready: AsyncIterable<DeliveryRow>): Promise<void> {
    const { run, burst } = this.#sending;
    await this.#open();
    const list = await findList(this.#app, burst.definition.list);
    const bound = list && { name: list.name, version: run.listVersion ?? list.version };
    const listed = bound ? await listRecipients(this.#app, bound) : [];
    const recipients = new Map(recipientsOfCopies(burst.definition, listed).map((one) => [one.id, one]));
    const { parallel = 1 } = (await findDestination(this.#app, this.#name)) ?? {};
    await sideBySide(
      ready,
      Math.min(parallel, maxLanes),
      async (delivery) => {
        await this.#sending.look();
        const known = recipients.get(delivery.recipient);
        await this.#sendOne(delivery, known ?? { id: delivery.recipient, address: delivery.address, values: {} });
      },
      // One may hear of a stop while another hears that the destination is gone: the stop is what was asked for.
      (error) => !(error instanceof RunWaits),
    );
  }

  /** Opens the ways, and sees that they lead somewhere before the first copy is claimed. */
  async #open(): Promise<void> {
    const { definition, isTest } = this.#sending.run;
    if (!(await lookAgain(this.#app, this.#name))) {
      const row = await findDestination(this.#app, this.#name);
      throw new RunWaits(`“${this.#name}” is ${row?.state ?? 'gone'}${row?.reason ? `: ${row.reason}` : ''}`);
    }
    if (isMailed(this.#sending.run) || 'announce' in definition.destination)
      this.#mail = await openMail(this.#app, isTest || definition.destination.kind !== 'mail' ? ownMail : this.#name);
    if (!isMailed(this.#sending.run)) {
      this.#road = await openRoad(this.#app, this.#name);
      return;
    }
    try {
      await this.#mail!.check();
    } catch (error) {
      if (!isFailing(error)) throw error;
      await noteFailure(this.#app, this.#name, error.message, failuresToPause);
      throw new RunWaits(`“${this.#name}” takes nothing: ${error.message}`);
    }
  }

  /** Waits for a turn at a destination. @returns whether the copy was claimed; somebody else has it otherwise */
  async #turn(name: string, claim: Parameters<typeof takeTurn>[2]): Promise<boolean> {
    for (;;) {
      const turn = await patiently(() => takeTurn(this.#app, name, claim));
      if (turn.kind === 'taken' || turn.kind === 'gone') return turn.kind === 'taken';
      if (turn.kind === 'stopped')
        throw new RunWaits(`“${name}” ${turn.state === 'paused' ? 'is paused' : 'takes nothing'}: ${turn.reason}`);
      if (turn.ms > longestSatOutMs && turn.why !== '')
        throw new RunWaits(`“${name}” takes the next ${this.#clock(turn.ms)}, by its limits`, turn.ms);
      for (let left = turn.ms; left > 0; left -= sliceMs) {
        await setTimeout(Math.min(left, sliceMs));
        const phase =
          left > sliceMs ? `sending; “${name}” takes the next in ${Math.ceil((left - sliceMs) / 1000)} s` : 'sending';
        if (turn.why !== '') await this.#sending.look(phase);
      }
    }
  }

  /** When it will be in so many milliseconds: `at 14:05`, or with the day where that is another. */
  #clock(ms: number): string {
    const { locale, timeZone } = this.#app.settings;
    const at = new Date(this.#app.now() + ms);
    const day = new Intl.DateTimeFormat(locale, { timeZone, dateStyle: 'medium' });
    const time = new Intl.DateTimeFormat(locale, { timeZone, timeStyle: 'short' }).format(at);
    return day.format(at) === day.format(this.#app.now()) ? `at ${time}` : `on ${day.format(at)} at ${time}`;
  }

  async #sendOne(delivery: DeliveryRow, recipient: Recipient): Promise<void> {
    const { run } = this.#sending;
    const messageId = messageIdOf(
      [
        run.burstName,
        delivery.occurrence,
        delivery.recipient,
        delivery.repeat,
        ...(run.isTest ? ['test', run.id] : []),
      ],
      this.#app.settings.mailFrom,
    );
    const move = (from: DeliveryState, change: Parameters<typeof moveDeliveries>[3]) =>
      patiently(() => moveDeliveries(this.#app, { ids: [delivery.id] }, [from], change));
    for (let tried = delivery.attempts; ; tried++) {
      const claim = { state: 'sending', messageId, attempts: tried + 1 } as const;
      const isMine = await this.#turn(
        this.#name,
        async (transaction) =>
          (await moveDeliveries(this.#app, { ids: [delivery.id] }, ['rendered'], claim, transaction)) > 0,
      );
      if (!isMine) return;
      try {
        await this.#hand(delivery, recipient, messageId);
        await patiently(() => noteSuccess(this.#app, this.#name));
        // That it was a note without files stays to be read.
        await move('sending', { state: 'sent', reason: delivery.files.length === 0 ? delivery.reason : null });
        return;
      } catch (error) {
        if (error instanceof RunWaits) await move('sending', { state: 'rendered', reason: error.message });
        if (!isRefusal(error)) throw error;
        const wait = await this.#afterFailure(error, tried);
        if (wait === undefined) {
          const state = isRefusal(error, 'DELIVERY_IN_DOUBT') ? 'in doubt' : 'failed';
          await move('sending', { state, reason: error.message });
          return;
        }
        // It is not on the wire while it waits: a worker that dies meanwhile leaves no doubt behind.
        await move('sending', { state: 'rendered', reason: `${error.message}; it is tried again` });
        await setTimeout(wait);
        await this.#sending.look();
      }
    }
  }

  /** How long a copy waits after a failure; nothing where trying again is of no use. */
  async #afterFailure(error: Refusal, tried: number): Promise<number | undefined> {
    if (!isFailing(error)) return undefined;
    // A mail host is busy for one address; whatever else keeps a copy out keeps all of them out.
    const isOfAll = !(isRefusal(error, 'DESTINATION_BUSY') && this.#road === undefined);
    if (isOfAll) await patiently(() => noteFailure(this.#app, this.#name, error.message));
    if (isRefusal(error, 'DESTINATION_BUSY')) return retryMs[tried];
    return retryMs[Math.min(tried, retryMs.length - 1)];
  }

  /** Hands one copy over: a letter, or files and perhaps a letter about them. */
  async #hand(delivery: DeliveryRow, recipient: Recipient, messageId: string): Promise<void> {
    if (this.#road === undefined) return this.#mail!.send(await this.#letterOf(delivery, recipient, messageId));
    const destination = this.#destination as FolderDestination;
    const values = this.#valuesFor(recipient);
    const places = await this.#road.put({
      key: messageId.slice(1, 41),
      files: delivery.files.map((file) => ({
        name: file.name,
        path: this.#sending.pathOf(file),
        type: mediaTypeOf(file.format, this.#sending.run.definition),
        sizeBytes: file.sizeBytes ?? 0,
        sha256: file.sha256 ?? '',
      })),
      folder: folderPath(destination.folder, values),
      replace: destination.replace ?? false,
      about: {
        burst: delivery.burstName,
        period: delivery.occurrence,
        recipient: delivery.recipient,
        run: delivery.runId,
        rows: Number(delivery.rowCount),
      },
    });
    if (places.length > 0)
      await patiently(() =>
        moveDeliveries(this.#app, { ids: [delivery.id] }, ['sending'], { state: 'sending', places }),
      );
    const { announce } = destination;
    if (announce === undefined) return;
    await this.#turn(ownMail, async () => true);
    const links = delivery.files.map((file, i) => `${file.name}: ${places[i]}`).join('\n');
    await this.#mail!.send({
      messageId,
      to: delivery.address,
      subject: fillTemplate(announce.subject, values).replace(/[\r\n]+/g, ' '),
      text: fillTemplate(withLinks(announce.message), { ...values, links }),
      attachments: [],
    });
  }

  #valuesFor(recipient: Recipient): Record<string, string> {
    const { burst, run } = this.#sending;
    const start = runStart(run.createdAt.getTime(), this.#app.settings.timeZone);
    return templateValues({ ...burst, start }, recipient);
  }

  /** The letter that one copy goes with. */
  async #letterOf(delivery: DeliveryRow, recipient: Recipient, messageId: string): Promise<MailCopy> {
    const { burst, run, keptUntil, pathOf } = this.#sending;
    const { definition } = burst;
    const values = this.#valuesFor(recipient);
    const words = wordsOf(definition.destination, definition.title);
    const isNote = delivery.files.length === 0;
    const message = isNote
      ? (words.emptyMessage ?? `There is nothing for ${recipient.id} in {period_words}.\n`)
      : words.message;
    const files = delivery.files.filter((file) => file.isInline !== true);
    const bytes = files.reduce((sum, file) => sum + (file.sizeBytes ?? 0), 0);
    const isLinked = !isNote && files.length > 0 && goesAsLinks(definition, bytes);
    const keeping = { until: keptUntil, signIn: keepingOf(definition).signIn };
    const links = isLinked ? await makeLinks(this.#app, delivery, keeping) : [];
    const subject = fillTemplate(words.subject, values).replace(/[\r\n]+/g, ' ');
    const { bouncesTo } = this.#app.settings;
    const unsubscribe = words.unsubscribe === true && !run.isTest ? unsubscribeAddress(this.#app, delivery) : undefined;
    const text = fillTemplate(isLinked ? withLinks(message) : message, { ...values, links: links.join('\n') });
    return {
      messageId,
      to: delivery.address,
      subject: run.isTest ? `[Test for ${delivery.recipient}, ${recipient.address}] ${subject}` : subject,
      ...(words.replyTo ? { replyTo: fillTemplate(words.replyTo, values) } : {}),
      ...(unsubscribe ? { unsubscribe } : {}),
      ...(bouncesTo ? { bouncesTo: bounceAddress(this.#app, bouncesTo, delivery.id) } : {}),
      ...(await this.#formsOf(delivery, text, unsubscribe)),
      attachments: [
        ...(isLinked ? [] : files).map((file) => ({
          name: file.name,
          path: pathOf(file),
          type: mediaTypeOf(file.format, run.definition),
        })),
        ...delivery.files
          .filter((file) => file.isInline === true && file.format === 'png')
          .map((file) => ({
            name: file.name,
            path: pathOf(file),
            type: mediaTypes.png,
            contentId: pictureId,
          })),
      ],
    };
  }

  /** The letter as text, and as HTML where it shows the page or offers to stop. */
  async #formsOf(
    delivery: DeliveryRow,
    message: string,
    unsubscribe: string | undefined,
  ): Promise<{ text: string; html?: string }> {
    const { pathOf, burst } = this.#sending;
    const { report } = burst.viewing;
    const numbers = delivery.files.find((file) => file.format === 'numbers');
    if (numbers === undefined && unsubscribe === undefined) return { text: message };
    const page = numbers && (JSON.parse(await readFile(pathOf(numbers), 'utf8')) as PageNumbers);
    return writeLetter({
      message,
      ...(page ? { page: { numbers: page, contentId: pictureId } } : {}),
      link: {
        address: `${this.#app.settings.publicUrl}/console/reports/${report.name}`,
        words: `Open “${report.title}”`,
      },
      ...(unsubscribe ? { unsubscribe } : {}),
    });
  }
}

/** How the letter names the picture in it (RFC 2392). */
const pictureId = 'page@under-bell';

const withLinks = (text: string) => (/\{\s*links\s*\}/.test(text) ? text : `${text}\n{links}\n`);

/** The words of a letter; a test of what goes elsewhere comes by mail with few of its own. */
function wordsOf(
  destination: BurstDestination,
  title: string,
): Pick<MailDestination, 'subject' | 'message' | 'emptyMessage' | 'replyTo' | 'unsubscribe'> {
  if (destination.kind === 'mail') return destination;
  return {
    subject: `${title}, {period_words}`,
    message: `This copy goes to the ${destination.kind} “${destination.to}”; here it is as it would lie there.\n`,
  };
}
