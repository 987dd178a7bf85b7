import { EventSourceParserStream } from 'eventsource-parser/stream';
import type { HeartbeatResponse, MediaHandle, ScreenProgram, ShownNow, ShownWords } from '@underbell/core/screen';
import type { ViewResponse } from '@underbell/core/view';
import { serviceNow, setClock } from '../device/clock.ts';
import { ask, Refused } from '../device/service.ts';
import { keepFile, wholeFile, type AskRange } from '../storage/media.ts';
import { store } from '../storage/store.ts';

/** Figures of a slot, as they were answered last. */
export interface KeptAnswer {
  readonly tag: string;
  readonly answer: ViewResponse | ShownWords;
  /** When the service last said that they are what there is. */
  readonly heardAt: number;
}

/** Where a player gets what it shows: the service with what was kept of it, or the console for a preview. */
export interface Source {
  program(): Promise<ScreenProgram>;
  /** @param isAhead - for later: what is kept will do for now */
  answer(id: string): Promise<KeptAnswer>;
  /** The picture or video of a slot, whole. */
  file(id: string, media: MediaHandle): Promise<Blob>;
}

const programName = 'program';
const answerName = (id: string) => `answer ${id}`;

/** Whether an error says that there is no network, or no service behind it, rather than no. */
export const isOffline = (error: unknown): boolean =>
  !(error instanceof Refused) || error.status >= 500 || error.code === 'RATE_LIMITED';

/** The service, and what was kept of it where it is out of reach. */
export class ServiceSource implements Source {
  /** When the service last said a word. */
  heardAt = 0;

  async #heard<T>(asked: Promise<T>): Promise<T> {
    const answer = await asked;
    this.heardAt = serviceNow();
    return answer;
  }

  async program(): Promise<ScreenProgram> {
    const answer = await this.#heard(ask('/api/v1/screen/schedule'));
    const program = (await answer.json()) as ScreenProgram;
    setClock(program.now);
    await store.put(programName, { program, heardAt: serviceNow() });
    return program;
  }

  /** What was told last, for a start without a network. */
  kept(): Promise<{ program: ScreenProgram; heardAt: number } | undefined> {
    return store.get(programName);
  }

  async answer(id: string): Promise<KeptAnswer> {
    // What a disk does not give back is asked for.
    const known = await store.get<KeptAnswer>(answerName(id)).catch(() => undefined);
    try {
      const path = `/api/v1/screen/slots/${encodeURIComponent(id)}`;
      const asked = await this.#heard(ask(path, known ? { tag: known.tag } : {}));
      const answer = asked.status === 304 ? known!.answer : ((await asked.json()) as KeptAnswer['answer']);
      const made = { tag: asked.headers.get('ETag') ?? '', answer, heardAt: serviceNow() };
      await store.put(answerName(id), made);
      return made;
    } catch (error) {
      if (!isOffline(error) || !known) throw error;
      return known;
    }
  }

  #range(id: string): AskRange {
    const path = `/api/v1/screen/slots/${encodeURIComponent(id)}/file`;
    return async (from, last) => {
      const answer = await this.#heard(ask(path, { range: `bytes=${from}-${last}` }));
      return answer.arrayBuffer();
    };
  }

  file(id: string, media: MediaHandle): Promise<Blob> {
    return wholeFile(media, this.#range(id));
  }

  /** Has a picture or video here before its turn comes. */
  keepFile(id: string, media: MediaHandle): Promise<void> {
    return keepFile(media, this.#range(id));
  }

  /** Forgets the figures of slots that are shown no more. */
  keepOnly(ids: readonly string[]): Promise<void> {
    return store.keepOnly('answer ', ids.map(answerName));
  }

  async beat(shown: ShownNow & { readonly problems: readonly object[] }): Promise<HeartbeatResponse> {
    const asked = await this.#heard(ask('/api/v1/screen/heartbeat', { method: 'POST', body: shown }));
    const answer = (await asked.json()) as HeartbeatResponse;
    setClock(answer.now);
    return answer;
  }

  async sendPicture(picture: Blob): Promise<void> {
    await this.#heard(ask('/api/v1/screen/screenshot', { method: 'POST', picture }));
  }

  /** Hears what is told at once, until the stream ends. @throws {Refused}, `TypeError` */
  async listen(onTold: (event: string) => void, signal: AbortSignal): Promise<void> {
    const answer = await ask('/api/v1/screen/events', { signal });
    const events = answer
      .body!.pipeThrough(new TextDecoderStream())
      .pipeThrough(new EventSourceParserStream())
      .getReader();
    for (let next = await events.read(); !next.done; next = await events.read()) onTold(next.value.event ?? '');
  }
}

/** A screen as the console shows it: at any time, under that screen's rights, and nothing is kept of it. */
export class PreviewSource implements Source {
  constructor(
    private readonly name: string,
    private readonly at: string | null,
  ) {}

  #path = (path: string) => `/api/v1/screens/${encodeURIComponent(this.name)}/${path}`;

  async #ask<T>(path: string): Promise<T> {
    const answer = await fetch(this.#path(path));
    const body = (await answer.json()) as T & { code?: string; detail?: string };
    if (!answer.ok) throw new Refused(body.code ?? '', answer.status, body.detail ?? '');
    return body;
  }

  program(): Promise<ScreenProgram> {
    return this.#ask(`schedule${this.at === null ? '' : `?at=${encodeURIComponent(this.at)}`}`);
  }

  async answer(id: string): Promise<KeptAnswer> {
    const answer = await this.#ask<KeptAnswer['answer']>(`slots/${encodeURIComponent(id)}`);
    return { tag: '', answer, heardAt: serviceNow() };
  }

  async file(id: string): Promise<Blob> {
    const answer = await fetch(this.#path(`slots/${encodeURIComponent(id)}/file`));
    if (answer.ok) return answer.blob();
    throw new Refused('', answer.status, `answered ${answer.status}`);
  }
}
