import { parentPort } from 'node:worker_threads';
import type { PageScene } from '@underbell/core/render';
import { drawPdf, drawPng } from './draw.ts';

/** One page to draw, and what came of it. */
export interface DrawTask {
  readonly id: number;
  readonly format: 'pdf' | 'png';
  readonly scene: PageScene;
}
export type DrawAnswer =
  | { readonly id: number; readonly bytes: Uint8Array; readonly ms: number }
  | { readonly id: number; readonly error: Error };

const port = parentPort!;
port.on('message', ({ id, format, scene }: DrawTask) => {
  const start = performance.now();
  void (async (): Promise<DrawAnswer> => {
    try {
      // A copy of its own, so that its memory can be handed over.
      const bytes = new Uint8Array(format === 'pdf' ? await drawPdf(scene) : drawPng(scene));
      return { id, bytes, ms: performance.now() - start };
    } catch (error) {
      return { id, error: error as Error };
    }
  })().then((answer) => port.postMessage(answer, 'bytes' in answer ? [answer.bytes.buffer as ArrayBuffer] : []));
});
