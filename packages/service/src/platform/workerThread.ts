import { Worker } from 'node:worker_threads';
import { isRefusal, Refusal, type RefusalCode, type RefusalDetails } from '@underbell/core/refusal';
import { refuseSpace } from './uploads.ts';

/** A refusal loses its class on the way between threads: it travels as what it says. */
export type ThreadAnswer<Made> =
  | { readonly made: Made }
  | { readonly refusal: { readonly code: RefusalCode; readonly message: string; readonly details: RefusalDetails } }
  | { readonly error: Error };

/** What came of work in a thread, ready to be sent. */
export async function answerOf<Made>(work: () => Promise<Made>): Promise<ThreadAnswer<Made>> {
  try {
    return { made: await work() };
  } catch (cause) {
    // The code of an error is lost on the way between threads.
    const error = refuseSpace(cause);
    if (!isRefusal(error)) return { error: error as Error };
    const { code, message, details } = error as Refusal;
    return { refusal: { code, message, details } };
  }
}

export interface ThreadBounds {
  /** Of what it keeps; a thread that needs more is ended. */
  readonly memoryMiB: number;
  readonly timeMs: number;
}

/**
 * Does one piece of work in a thread of its own, which cannot hold up or bring down this one.
 *
 * @param data - plain data; the program answers with a `ThreadAnswer`
 * @throws {Refusal} what the work refuses, or `INPUT_TOO_LARGE` where it takes more memory or time than it may
 */
export function runInThread<Made>(program: URL, data: unknown, bounds: ThreadBounds): Promise<Made> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(program, {
      workerData: data,
      resourceLimits: { maxOldGenerationSizeMb: bounds.memoryMiB },
    });
    const tooMuch = (what: string, cause?: Error) =>
      new Refusal('INPUT_TOO_LARGE', `Checking the file takes more ${what} than allowed.`, {}, { cause });
    const timer = setTimeout(() => end(() => reject(tooMuch('time'))), bounds.timeMs);
    const end = (say: () => void) => {
      clearTimeout(timer);
      say();
      void worker.terminate();
    };
    worker.once('message', (answer: ThreadAnswer<Made>) =>
      end(() => {
        if ('made' in answer) resolve(answer.made);
        else if ('error' in answer) reject(answer.error);
        else reject(new Refusal(answer.refusal.code, answer.refusal.message, answer.refusal.details));
      }),
    );
    worker.once('error', (error: Error & { code?: string }) =>
      end(() => reject(error.code === 'ERR_WORKER_OUT_OF_MEMORY' ? tooMuch('memory', error) : error)),
    );
    worker.once('exit', () => end(() => reject(new Error('a thread ended without an answer'))));
  });
}
