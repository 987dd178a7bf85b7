import assert from 'node:assert/strict';
import { beforeEach, describe, it } from 'node:test';
import { openWindow } from './window.ts';

const page = openWindow();
const { drawSoon, forget, isDrawing } = await import('../src/figure/drawQueue.ts');

const at = (top: number) => ({ getBoundingClientRect: () => ({ top, bottom: top + 200 }) }) as HTMLElement;

describe('charts that wait to be drawn', () => {
  let drawn: string[];
  beforeEach(() => {
    drawn = [];
  });
  const chart = (name: string, top: number, owner: object = {}): object => {
    drawSoon(owner, { element: at(top), draw: () => drawn.push(name) });
    return owner;
  };
  const until = async (count: number) => {
    while (drawn.length < count) await new Promise((resolve) => setTimeout(resolve, 5));
  };

  it('are drawn one in a turn, what can be seen before the rest', async () => {
    const all: string[] = [];
    const one = (name: string, top: number) =>
      drawSoon(
        {},
        {
          element: at(top),
          draw: () => {
            drawn.push(name);
            all.push(name);
            // What follows a turn comes after all that is done in it.
            queueMicrotask(() => all.push(`end of the turn of ${name}`));
          },
        },
      );
    one('far below', 3_000);
    one('first', 0);
    one('second', 300);
    one('above', -900);
    assert.equal(drawn.length, 0, 'the page comes first');
    assert.equal(isDrawing.value, true);
    while (!drawn.includes('second')) await new Promise((resolve) => setTimeout(resolve, 5));
    assert.equal(isDrawing.value, false, 'what nobody sees keeps nobody waiting');
    while (all.length < 8) await new Promise((resolve) => setTimeout(resolve, 5));
    assert.equal(drawn[0], 'first');
    assert.ok(drawn.indexOf('far below') < drawn.indexOf('above'));
    for (const name of ['first', 'second']) assert.equal(all[all.indexOf(name) + 1], `end of the turn of ${name}`);
  });

  it('are drawn once, as they were asked for last', async () => {
    const owner = chart('old', 0);
    chart('new', 0, owner);
    chart('after', 0);
    await until(2);
    assert.deepEqual(drawn, ['new', 'after']);
  });

  it('are not drawn when they have gone', async () => {
    forget(chart('gone', 0));
    forget(chart('gone as well', 5_000));
    chart('there', 0);
    chart('below', 5_000);
    await until(2);
    assert.deepEqual(drawn, ['there', 'below']);
  });

  it('are all there on paper, and not drawn a second time', async () => {
    chart('seen', 0);
    chart('unseen', 9_000);
    page.fire('beforeprint');
    assert.deepEqual(drawn, ['seen', 'unseen']);
    chart('later', 9_000);
    await until(3);
    assert.deepEqual(drawn, ['seen', 'unseen', 'later']);
  });
});
