import { EventSourceParserStream } from 'eventsource-parser/stream';
import type { ViewResponse } from '@underbell/core/view';
import { ViewProblem, type ViewApi, type ViewState } from './viewApi.ts';

interface Change {
  readonly kind?: string;
  readonly name?: string;
}

/** Browsers open six connections to a host at once; many frames on one page must not use them up for listening. */
const slots = 2;
const pollMs = 30_000;
const retryMs = 2_000;
const unseenMs = 100;
/** Each frame that listens tells of the same change, and a load may change several things: they are one look. */
const gatherMs = 120;
/** What says that somebody looks at the page. */
const looks = ['visibilitychange', 'focus', 'pointerover', 'keydown'] as const;

function concerns(
  { kind, name }: Change,
  api: ViewApi,
  { answer, isListening }: Pick<LiveState, 'answer'> & { isListening: boolean },
): boolean {
  // After a gap nothing is known, so everybody looks.
  if (kind === undefined) return true;
  if (kind === 'rights') return !isListening;
  if (kind === 'dataset') return answer?.datasets.some((one) => one.dataset === name) ?? true;
  if (kind === 'report') return answer?.report?.name === name;
  if (kind === 'board' && answer?.board !== undefined) return answer.board.name === name;
  return kind === api.target.kind && name === api.target.name;
}

/** Reads server-sent events from a stream that carries the reader's token. */
async function readEvents(answer: Response, onChange: (change: Change) => void): Promise<void> {
  const events = answer
    .body!.pipeThrough(new TextDecoderStream())
    .pipeThrough(new EventSourceParserStream())
    .getReader();
  for (let next = await events.read(); !next.done; next = await events.read())
    if (next.value.event === 'changed') onChange(JSON.parse(next.value.data) as Change);
}

/** How the page stands. */
export interface LiveState {
  readonly question: ViewState;
  readonly answer: ViewResponse | undefined;
  /** The service will not show it as things are: nothing is asked by itself. */
  readonly isRefused: boolean;
}

/**
 * Hears of new editions, new data and other rights. A few frames of a browser listen to the service and tell the others; the
 * rest look now and then. A page that was refused asks again when somebody looks at it.
 */
export class LiveChanges {
  readonly #api: ViewApi;
  readonly #state: () => LiveState;
  readonly #onChange: () => void;
  readonly #channel = new BroadcastChannel('underbell changes');
  readonly #stop = new AbortController();
  /** Of the slots, those that this frame waits for or has. */
  readonly #claimed = new Set<number>();
  #hasSlot = false;
  #isListening = false;
  #askedLately = false;
  #timer: number | undefined;
  #look: ReturnType<typeof setTimeout> | undefined;

  constructor(api: ViewApi, state: () => LiveState, onChange: () => void) {
    this.#api = api;
    this.#state = state;
    this.#onChange = onChange;
    this.#channel.onmessage = ({ data }: MessageEvent<Change>) => this.#hear(data);
  }

  start(): void {
    this.#timer = window.setInterval(() => {
      if (!this.#isListening && !document.hidden && !this.#state().isRefused) this.#onChange();
    }, pollMs);
    for (const event of looks) window.addEventListener(event, this.#lookedAt, { signal: this.#stop.signal });
    this.listen();
  }

  /** Listens, unless it does; to be called when the page is shown again after it was refused. */
  listen(): void {
    for (let slot = 0; slot < slots; slot++) {
      if (this.#claimed.has(slot)) continue;
      this.#claimed.add(slot);
      navigator.locks
        ?.request(`underbell changes ${slot}`, { signal: this.#stop.signal }, () => this.#listen())
        .catch(() => undefined)
        .finally(() => this.#claimed.delete(slot));
    }
  }

  stop(): void {
    this.#stop.abort();
    window.clearInterval(this.#timer);
    clearTimeout(this.#look);
    this.#channel.close();
  }

  readonly #lookedAt = (): void => {
    if (document.hidden || !this.#state().isRefused || this.#askedLately) return;
    this.#askedLately = true;
    setTimeout(() => (this.#askedLately = false), retryMs);
    this.#onChange();
  };

  #hear(change: Change): void {
    const { answer } = this.#state();
    const isListening = this.#isListening;
    if (this.#look !== undefined || !concerns(change, this.#api, { answer, isListening })) return;
    this.#look = setTimeout(() => {
      this.#look = undefined;
      this.#onChange();
    }, gatherMs);
  }

  /** Listens for as long as the page is there and may be; a stream that ends is opened again. */
  async #listen(): Promise<void> {
    // The other slot is for another frame; it is asked for once more when that one goes.
    if (this.#hasSlot) return;
    this.#hasSlot = true;
    let wasLost = false;
    let retryAfterMs = retryMs;
    while (!this.#stop.signal.aborted && !this.#state().isRefused) {
      // Until something is shown nobody knows whether there is something to hear of, nor by which key.
      const { question, answer: shown } = this.#state();
      if (shown === undefined) {
        await new Promise((resolve) => setTimeout(resolve, unseenMs));
        continue;
      }
      try {
        const answer = await this.#api.events(question, shown, this.#stop.signal);
        this.#isListening = true;
        if (wasLost) this.#onChange();
        wasLost = false;
        retryAfterMs = retryMs;
        await readEvents(answer, (change) => {
          this.#channel.postMessage(change);
          this.#hear(change);
        });
        // The service ends it now and then, and at once where its reader may look no more: all look which it is.
        this.#channel.postMessage({});
        this.#hear({});
      } catch (error) {
        // Offline it is asked again and again; what the service refuses is looked at at once, and then ever more seldom.
        const isNow = error instanceof ViewProblem && error.document.code !== 'SERVICE_UNREACHABLE';
        if (isNow && retryAfterMs === retryMs) this.#onChange();
        if (isNow) retryAfterMs = Math.min(retryAfterMs * 2, pollMs);
        wasLost = true;
      }
      this.#isListening = false;
      await new Promise((resolve) => setTimeout(resolve, retryAfterMs));
    }
    this.#hasSlot = false;
  }
}
