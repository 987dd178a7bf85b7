import assert from 'node:assert/strict';
import { it } from 'node:test';
import { openWindow } from './window.ts';

type Entries = readonly { readonly isIntersecting: boolean }[];

it('charts of a frame that nobody sees wait until it comes into view', async () => {
  openWindow();
  let tell: (entries: Entries) => void = () => undefined;
  class Observer {
    constructor(onChange: (entries: Entries) => void) {
      tell = onChange;
    }
    observe(): void {
      // What it is told is all that counts here.
    }
  }
  Object.assign(globalThis, { IntersectionObserver: Observer });
  Object.assign(window, { IntersectionObserver: Observer, requestIdleCallback: () => 0 });
  const { drawSoon, isDrawing } = await import('../src/figure/drawQueue.ts');
  tell([{ isIntersecting: false }]);
  let drawn = 0;
  const element = { getBoundingClientRect: () => ({ top: 0, bottom: 200 }) } as HTMLElement;
  drawSoon({}, { element, draw: () => drawn++ });
  assert.equal(isDrawing.value, false, 'nobody waits for what nobody sees');
  await new Promise((resolve) => setTimeout(resolve, 20));
  assert.equal(drawn, 0);
  tell([{ isIntersecting: true }]);
  assert.equal(isDrawing.value, true);
  while (drawn === 0) await new Promise((resolve) => setTimeout(resolve, 5));
  assert.equal(drawn, 1);
});
