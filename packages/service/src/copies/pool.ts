import { availableParallelism } from 'node:os';
import { setImmediate } from 'node:timers/promises';
import { Worker } from 'node:worker_threads';
import { Refusal } from '@underbell/core/refusal';
import { BookFiller, type FillerKit } from './bookFiller.ts';
import type { Priority } from '../platform/priority.ts';
import { makeFile, type MadeTask, type MakeTask } from './task.ts';
import type { MakeAnswer, MakeQuestion, ThreadData } from './worker.ts';

/** Makes files, here or in other threads. */
export interface MakePool {
  /** So many files may be asked for at once. */
  readonly width: number;
  make(task: MakeTask): Promise<MadeTask>;
  close(): Promise<void>;
}

/** Makes files in this thread, and lets others have their turn after each. */
function poolHere(kit: FillerKit | undefined): MakePool {
  const filler = kit && new BookFiller(kit);
  return {
    width: 1,
    async make(task) {
      const made = await makeFile(task, filler);
      // Drawing never waits for anything outside; without a pause here leases and readers would starve.
      await setImmediate();
      return made;
    },
    close: async () => undefined,
  };
}

interface Waiting {
  readonly resolve: (made: MadeTask) => void;
  readonly reject: (error: Error) => void;
}

/**
 * Megabytes of a thread's memory for what is thrown away soon, which a page mostly is. With less, cleaning up takes a third
 * of the time of drawing.
 */
const youngMemory = 96;

const program = new URL('../../dist/makeThread.mjs', import.meta.url);

/**
 * Threads that make files; each has parsed the fonts once and keeps what it has laid out. Our own, because a common pool of
 * threads took 1.13 times as long for the same 240 pages (median of five, in turns).
 */
class ThreadPool implements MakePool {
  #threads: { readonly worker: Worker; readonly waiting: Map<number, Waiting> }[];
  #nextId = 0;

  constructor(count: number, data: ThreadData) {
    this.#threads = Array.from({ length: count }, () => {
      const worker = new Worker(program, {
        workerData: data,
        resourceLimits: { maxYoungGenerationSizeMb: youngMemory },
      });
      const waiting = new Map<number, Waiting>();
      const failAll = (error: Error) => {
        for (const { reject } of waiting.values()) reject(error);
        waiting.clear();
      };
      worker.on('message', (answer: MakeAnswer) => {
        const asked = waiting.get(answer.id);
        waiting.delete(answer.id);
        if ('made' in answer) asked?.resolve(answer.made);
        else if ('error' in answer) asked?.reject(answer.error);
        else asked?.reject(new Refusal(answer.refusal.code, answer.refusal.message, answer.refusal.details));
      });
      worker.on('error', failAll);
      worker.on('exit', () => {
        // What a thread that has ended is asked would never be answered.
        this.#threads = this.#threads.filter((one) => one.worker !== worker);
        failAll(new Error('a thread that makes files ended'));
      });
      return { worker, waiting };
    });
  }

  /** One more than there are threads for each, so that none waits for its next file. */
  get width(): number {
    return this.#threads.length * 2;
  }

  make(task: MakeTask): Promise<MadeTask> {
    if (this.#threads.length === 0) return Promise.reject(new Error('every thread that makes files has ended'));
    const thread = this.#threads.reduce((a, b) => (b.waiting.size < a.waiting.size ? b : a));
    const id = this.#nextId++;
    return new Promise((resolve, reject) => {
      thread.waiting.set(id, { resolve, reject });
      thread.worker.postMessage({ id, task } satisfies MakeQuestion);
    });
  }

  async close(): Promise<void> {
    await Promise.all(this.#threads.map(({ worker }) => worker.terminate()));
  }
}

/** Starting threads takes as long as drawing a few pages: fewer are made here. */
const worthwhile = 12;
const mostThreads = 4;

/**
 * Opens what makes so many files best.
 *
 * @param files - pages and workbooks, which take computing
 * @param kit - the prepared workbook that some of them fill
 */
export function openMakePool(files: number, priority: Priority, kit?: FillerKit): MakePool {
  const threads = Math.min(availableParallelism(), mostThreads);
  return files < worthwhile || threads < 2
    ? poolHere(kit)
    : new ThreadPool(threads, { priority, ...(kit ? { kit } : {}) });
}
