import { parentPort, workerData } from 'node:worker_threads';
import { isRefusal, type RefusalCode, type RefusalDetails } from '@underbell/core/refusal';
import { giveWay, type Priority } from '../platform/priority.ts';
import { BookFiller, type FillerKit } from './bookFiller.ts';
import { makeFile, type MadeTask, type MakeTask } from './task.ts';

/** One file to make, and what came of it. */
export interface MakeQuestion {
  readonly id: number;
  readonly task: MakeTask;
}
/** A refusal loses its class on the way between threads: it travels as what it says. */
export type MakeAnswer =
  | { readonly id: number; readonly made: MadeTask }
  | { readonly id: number; readonly refusal: { code: RefusalCode; message: string; details: RefusalDetails } }
  | { readonly id: number; readonly error: Error };

/** What a thread is begun with. */
export interface ThreadData {
  readonly priority: Priority;
  readonly kit?: FillerKit;
}

const { priority, kit } = workerData as ThreadData;
giveWay(priority);

const filler = kit && new BookFiller(kit);
const port = parentPort!;
/** One file after the other: two at once would only wait for each other, and each would count the other's time as its own. */
let last: Promise<unknown> = Promise.resolve();
async function make({ id, task }: MakeQuestion): Promise<MakeAnswer> {
  try {
    return { id, made: await makeFile(task, filler) };
  } catch (error) {
    if (!isRefusal(error)) return { id, error: error as Error };
    const { code, message, details } = error;
    return { id, refusal: { code, message, details } };
  }
}
port.on('message', (question: MakeQuestion) => {
  last = last.then(async () => port.postMessage(await make(question)));
});
