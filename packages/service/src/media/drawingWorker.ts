import { readFileSync, writeFileSync } from 'node:fs';
import { parentPort, workerData } from 'node:worker_threads';
import { checkDrawing } from '@underbell/core/media';
import { Refusal } from '@underbell/core/refusal';
import { answerOf } from '../platform/workerThread.ts';
import { redraw } from '../render/index.ts';

/** An SVG file that came in; what is drawn anew takes its place. */
const { path } = workerData as { readonly path: string };

function readText(): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(readFileSync(path));
  } catch (cause) {
    throw new Refusal('MEDIA_INVALID', 'The SVG is not UTF-8 text.', {}, { cause });
  }
}

parentPort!.postMessage(
  await answerOf(async () => {
    const text = readText();
    checkDrawing(text);
    const { svg, width, height } = redraw(text);
    writeFileSync(path, svg);
    return { width, height };
  }),
);
