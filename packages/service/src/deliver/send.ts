import { setTimeout } from 'node:timers/promises';
import {
  destinationName,
  failuresToPause,
  folderPath,
  ownMail,
  type DeliveryState,
  type BurstDestination,
  type FolderDestination,
  type Recipient,
} from '@underbell/core/burst';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { retry, mapConcurrent, type App } from '../platform/index.ts';
import { listDeliveries, moveDeliveries } from './deliveryLog.ts';
import { announcementOf, letterOf } from './emails.ts';
import { messageIdOf, type MailTransport } from './mail.ts';
import type { DeliveryRow } from './models.ts';
import type { Sending } from './deliveryJob.ts';
import { findDestination, noteSuccess } from './store.ts';
import { isFailing, type Transport } from './transport.ts';
import { askToLook, openMail, openTransport } from './usecases.ts';
import { noteFailure, acquireSlot } from './rateLimit.sql.ts';

/** How long to wait before a copy that no destination took is offered again; none may have arrived twice by it. */
const retryMs = [1_000, 5_000, 20_000];
/**
 * How long a letter waits that its host asks to be offered again (RFC 5321, section 4.5.4.1), as hosts do with senders that
 * they do not know yet: about a day in all.
 */
const laterMs = [1, 5, 20, 120, 300, 900, 1_800, ...Array.from({ length: 23 }, () => 3_600)].map((s) => s * 1_000);
/** So many copies are offered at once, where a destination takes them. */
const maxLanes = 10;
/** A wait is looked up from so often, to see whether the run is to stop. */
const sliceMs = 1_000;

/** A wait that is longer is not sat out: the worker does other work meanwhile. */
const longestSatOutMs = 20_000;

/** Why no copy goes to a destination: `destination “ferries” is paused by Ann`. */
function whyUnavailable(name: string, state: string | undefined, reason?: string | null): string {
  if (state === undefined) return `destination “${name}” was deleted`;
  if (state === 'paused') return `destination “${name}” is paused ${reason ?? ''}`.trim();
  return `destination “${name}” is not accepting files${reason ? `: ${reason}` : ''}`;
}

/** Thrown to leave a run until its destination takes copies again; what is ready stays ready. */
export class DestinationUnavailable extends Error {
  /** @param forMs - how long its limits keep it from taking any; nothing where that cannot be known */
  constructor(
    message: string,
    readonly forMs?: number,
  ) {
    super(message, { cause: new Refusal('DESTINATION_PAUSED', message) });
  }
}

/** Whether putting a copy there a second time would be noticed. */
const isMailed = ({ isTest, destination }: Pick<Sending, 'isTest' | 'destination'>) =>
  isTest || destination.kind === 'mail';

/**
 * Settles copies that were on the wire when a worker died: mail may have arrived, and a person decides; files that are
 * put into a place can be put there again.
 */
export async function settleInterrupted(
  app: App,
  sending: Pick<Sending, 'run' | 'isTest' | 'destination'>,
): Promise<void> {
  const { run } = sending;
  const doubtful = { state: 'in doubt', reason: 'the worker stopped during the delivery' } as const;
  if (isMailed(sending)) {
    await moveDeliveries(app, { run }, ['sending'], doubtful);
    return;
  }
  for (const { id, places } of await listDeliveries(app, run, ['sending'])) {
    // Its files lie there: it was the letter about them that was on the wire.
    const wasLetter = places !== null && 'announce' in sending.destination;
    await moveDeliveries(app, { ids: [id] }, ['sending'], wasLetter ? doubtful : { state: 'rendered' });
  }
}

/**
 * Sends what becomes ready, within the destination's limits.
 *
 * @param ready - copies with their files, as they come
 * @throws {DestinationUnavailable} when the destination has stopped
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
  #mail: MailTransport | undefined;
  #transport: Transport | undefined;
  /** Copies that wait for their next try, while the others go on. */
  #later: DeliveryRow[] = [];

  constructor(app: App, sending: Sending) {
    this.#app = app;
    this.#sending = sending;
    this.#destination = sending.destination;
    this.#name = sending.isTest ? ownMail : destinationName(this.#destination);
  }

  close(): void {
    this.#mail?.close();
  }

  async send(ready: AsyncIterable<DeliveryRow>): Promise<void> {
    await this.#open();
    const { parallel = 1 } = (await findDestination(this.#app, this.#name)) ?? {};
    const sendAll = (copies: Iterable<DeliveryRow> | AsyncIterable<DeliveryRow>) =>
      mapConcurrent(
        copies,
        Math.min(parallel, maxLanes),
        async (delivery) => {
          await this.#sending.proceed();
          if (this.#waitOf(delivery) > 0) this.#later.push(delivery);
          else await this.#sendOne(delivery, this.#sending.recipientOf(delivery));
        },
        // One may hear of a stop while another hears that the destination is gone: the stop is what was asked for.
        (error) => !(error instanceof DestinationUnavailable),
      );
    await sendAll(ready);
    while (this.#later.length > 0) {
      const waiting = this.#later;
      const soonest = Math.min(...waiting.map((one) => this.#waitOf(one)));
      if (soonest > longestSatOutMs)
        throw new DestinationUnavailable(
          `the mail server asks to try ${waiting.length === 1 ? '1 copy' : `${waiting.length} copies`} again later; next attempt ${this.#clock(soonest)}`,
          soonest,
        );
      await this.#sitOut(soonest, 'the mail server asks to try again');
      this.#later = [];
      await sendAll(waiting);
    }
  }

  /** How long a copy has to wait for its next try; milliseconds. */
  #waitOf({ nextTryAt }: DeliveryRow): number {
    return nextTryAt === null ? 0 : nextTryAt.getTime() - this.#app.now();
  }

  /** Waits, and hears of a stop meanwhile. @param why - what is said of the wait; nothing of a short one */
  async #sitOut(ms: number, why: string): Promise<void> {
    const until = this.#app.now() + ms;
    for (let left = ms; left > 0; left = until - this.#app.now()) {
      await setTimeout(Math.min(left, sliceMs));
      const phase = left > sliceMs ? `sending; ${why} in ${Math.ceil((left - sliceMs) / 1000)} s` : 'sending';
      if (why !== '') await this.#sending.proceed(phase);
    }
  }

  /** Does what may hang, and leaves it as soon as the run is to stop. */
  async #unlessStopped<T>(work: Promise<T>): Promise<T> {
    const ended = new AbortController();
    const stopped = (async (): Promise<never> => {
      for (;;) {
        await setTimeout(sliceMs, undefined, { signal: ended.signal });
        await this.#sending.proceed();
      }
    })();
    try {
      return await Promise.race([work, stopped]);
    } finally {
      ended.abort();
      // Nobody waits for either any more.
      for (const one of [work, stopped]) one.catch(() => undefined);
    }
  }

  /** Opens the ways, and sees that they lead somewhere before the first copy is claimed. */
  async #open(): Promise<void> {
    const { isTest } = this.#sending;
    const row = await findDestination(this.#app, this.#name);
    if (row?.state !== 'ready') {
      // Others look whether it takes copies again: that may take a minute, in which other runs go on.
      if (row?.state === 'failing') await askToLook(this.#app, this.#name);
      throw new DestinationUnavailable(whyUnavailable(this.#name, row?.state, row?.reason));
    }
    if (isMailed(this.#sending) || 'announce' in this.#destination)
      this.#mail = await openMail(this.#app, isTest || this.#destination.kind !== 'mail' ? ownMail : this.#name);
    if (!isMailed(this.#sending)) {
      this.#transport = await openTransport(this.#app, this.#name);
      return;
    }
    try {
      await this.#unlessStopped(this.#mail!.check());
    } catch (error) {
      if (!isFailing(error)) throw error;
      await noteFailure(this.#app, this.#name, error.message, failuresToPause);
      throw new DestinationUnavailable(whyUnavailable(this.#name, 'failing', error.message));
    }
  }

  /** Waits for a turn at a destination. @returns whether the copy was claimed; somebody else has it otherwise */
  async #turn(name: string, claim: Parameters<typeof acquireSlot>[2]): Promise<boolean> {
    for (;;) {
      const turn = await retry(() => acquireSlot(this.#app, name, claim));
      if (turn.kind === 'taken' || turn.kind === 'gone') return turn.kind === 'taken';
      if (turn.kind === 'stopped') throw new DestinationUnavailable(whyUnavailable(name, turn.state, turn.reason));
      if (turn.ms > longestSatOutMs && turn.why !== '')
        throw new DestinationUnavailable(
          `destination “${name}” accepts the next copy ${this.#clock(turn.ms)} (rate limit)`,
          turn.ms,
        );
      await this.#sitOut(turn.ms, turn.why === '' ? '' : `destination “${name}” accepts the next copy`);
    }
  }

  /** When it will be in so many milliseconds: `at 14:05`, or with the day where that is another. */
  #clock(ms: number): string {
    const { locale, timeZone } = this.#app.settings;
    const at = new Date(this.#app.now() + ms);
    const day = new Intl.DateTimeFormat(locale, { timeZone, dateStyle: 'medium' });
    const time = new Intl.DateTimeFormat(locale, {
      timeZone,
      hour: '2-digit',
      minute: '2-digit',
      timeZoneName: 'short',
    }).format(at);
    return day.format(at) === day.format(this.#app.now()) ? `at ${time}` : `on ${day.format(at)} at ${time}`;
  }

  async #sendOne(delivery: DeliveryRow, recipient: Recipient): Promise<void> {
    const { burstName, occurrence, repeat, runId } = delivery;
    const messageId = messageIdOf(
      [burstName, occurrence, delivery.recipient, repeat, ...(this.#sending.isTest ? ['test', runId] : [])],
      this.#app.settings.mailFrom,
    );
    const move = (from: DeliveryState, change: Parameters<typeof moveDeliveries>[3]) =>
      retry(() => moveDeliveries(this.#app, { ids: [delivery.id] }, [from], change));
    for (let tried = delivery.attempts; ; tried++) {
      const claim = { state: 'sending', messageId, attempts: tried + 1, nextTryAt: null } as const;
      const isMine = await this.#turn(
        this.#name,
        async () => (await moveDeliveries(this.#app, { ids: [delivery.id] }, ['rendered'], claim)) > 0,
      );
      if (!isMine) return;
      try {
        await this.#hand(delivery, recipient, messageId);
        await retry(() => noteSuccess(this.#app, this.#name));
        // That it was a note without files stays to be read.
        await move('sending', { state: 'sent', reason: delivery.files.length === 0 ? delivery.reason : null });
        return;
      } catch (error) {
        if (error instanceof DestinationUnavailable)
          await move('sending', { state: 'rendered', reason: error.message });
        if (!isRefusal(error)) throw error;
        const isForLater = isRefusal(error, 'DESTINATION_BUSY') && this.#transport === undefined;
        const wait = isForLater ? laterMs[tried] : await this.#afterFailure(error, tried);
        if (isForLater && wait !== undefined) {
          const nextTryAt = new Date(this.#app.now() + wait);
          await move('sending', { state: 'rendered', reason: error.message, nextTryAt });
          this.#later.push({ ...delivery, attempts: tried + 1, nextTryAt });
          return;
        }
        if (wait === undefined) {
          const state = isRefusal(error, 'DELIVERY_UNCONFIRMED') ? 'in doubt' : 'failed';
          await move('sending', { state, reason: error.message });
          // Whatever goes there next might take something away as well.
          if (isRefusal(error, 'DESTINATION_OVERWRITES')) throw error;
          return;
        }
        // It is not on the wire while it waits: a worker that dies meanwhile leaves no doubt behind.
        await move('sending', { state: 'rendered', reason: `${error.message}; it is tried again` });
        await this.#sitOut(wait, '');
        await this.#sending.proceed();
      }
    }
  }

  /** How long a copy waits after a failure; nothing where trying again is of no use. */
  async #afterFailure(error: Refusal, tried: number): Promise<number | undefined> {
    if (!isFailing(error)) return undefined;
    await retry(() => noteFailure(this.#app, this.#name, error.message));
    if (isRefusal(error, 'DESTINATION_BUSY')) return retryMs[tried];
    return retryMs[Math.min(tried, retryMs.length - 1)];
  }

  /** Hands one copy over: a letter, or files and perhaps a letter about them. */
  async #hand(delivery: DeliveryRow, recipient: Recipient, messageId: string): Promise<void> {
    if (this.#transport === undefined)
      return this.#mail!.send(await letterOf(this.#app, this.#sending, delivery, recipient, messageId));
    const destination = this.#destination as FolderDestination;
    const values = this.#sending.valuesFor(recipient);
    const places = await this.#transport.put({
      key: messageId.slice(1, 41),
      files: delivery.files.map((file) => ({
        name: file.name,
        path: this.#sending.pathOf(file),
        type: this.#sending.typeOf(file),
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
        rows: delivery.rowCount,
      },
    });
    if (places.length > 0)
      await retry(() => moveDeliveries(this.#app, { ids: [delivery.id] }, ['sending'], { state: 'sending', places }));
    const { announce } = destination;
    if (announce === undefined) return;
    await this.#turn(ownMail, async () => true);
    await this.#mail!.send({ messageId, ...announcementOf(announce, delivery, places, values) });
  }
}
