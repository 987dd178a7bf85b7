import { availableParallelism } from 'node:os';
import { setImmediate } from 'node:timers/promises';
import { Worker } from 'node:worker_threads';
import type { PageScene } from '@underbell/core/render';
import { drawPdf, drawPng } from './draw.ts';
import type { DrawAnswer, DrawTask } from './drawWorker.ts';

/** A page as it was drawn. */
export interface Drawn {
  readonly bytes: Buffer;
  /** How long drawing took, without waiting for its turn; milliseconds. */
  readonly ms: number;
}

/** Draws pages, here or elsewhere. */
export interface Drawer {
  /** So many pages may be asked for at once. */
  readonly width: number;
  draw(scene: PageScene, format: 'pdf' | 'png'): Promise<Drawn>;
  close(): Promise<void>;
}

/** Draws in this thread, and lets others have their turn after each page. */
const here: Drawer = {
  width: 1,
  async draw(scene, format) {
    const start = performance.now();
    const bytes = format === 'pdf' ? await drawPdf(scene) : drawPng(scene);
    const ms = performance.now() - start;
    // Drawing never waits for anything outside; without a pause here leases and readers would starve.
    await setImmediate();
    return { bytes, ms };
  },
  close: async () => undefined,
};

interface Waiting {
  readonly resolve: (drawn: Drawn) => void;
  readonly reject: (error: Error) => void;
}

/** Threads that draw; each has parsed the fonts once and keeps what it has laid out. */
class DrawPool implements Drawer {
  #threads: { readonly worker: Worker; readonly waiting: Map<number, Waiting> }[];
  #nextId = 0;

  constructor(count: number) {
    this.#threads = Array.from({ length: count }, () => {
      const worker = new Worker(new URL('./drawThread.mjs', import.meta.url));
      const waiting = new Map<number, Waiting>();
      const failAll = (error: Error) => {
        for (const { reject } of waiting.values()) reject(error);
        waiting.clear();
      };
      worker.on('message', (answer: DrawAnswer) => {
        const asked = waiting.get(answer.id);
        waiting.delete(answer.id);
        if ('error' in answer) asked?.reject(answer.error);
        else {
          const { buffer, byteOffset, byteLength } = answer.bytes;
          asked?.resolve({ bytes: Buffer.from(buffer, byteOffset, byteLength), ms: answer.ms });
        }
      });
      worker.on('error', failAll);
      worker.on('exit', () => {
        // What a thread that has ended is asked would never be answered.
        this.#threads = this.#threads.filter((one) => one.worker !== worker);
        failAll(new Error('a drawing thread ended'));
      });
      return { worker, waiting };
    });
  }

  /** One more than there are threads for each, so that none waits for its next page. */
  get width(): number {
    return this.#threads.length * 2;
  }

  draw(scene: PageScene, format: 'pdf' | 'png'): Promise<Drawn> {
    if (this.#threads.length === 0) return Promise.reject(new Error('every drawing thread has ended'));
    const thread = this.#threads.reduce((a, b) => (b.waiting.size < a.waiting.size ? b : a));
    const id = this.#nextId++;
    return new Promise((resolve, reject) => {
      thread.waiting.set(id, { resolve, reject });
      thread.worker.postMessage({ id, format, scene } satisfies DrawTask);
    });
  }

  async close(): Promise<void> {
    await Promise.all(this.#threads.map(({ worker }) => worker.terminate()));
  }
}

/** Starting threads takes as long as drawing about thirty pages: fewer are drawn here. */
const worthwhile = 60;
const mostThreads = 4;

/** Opens what draws so many pages best. */
export function openDrawer(pages: number): Drawer {
  const threads = Math.min(availableParallelism(), mostThreads);
  return pages < worthwhile || threads < 2 ? here : new DrawPool(threads);
}
