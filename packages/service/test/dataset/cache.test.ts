import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { QueryCache } from '../../src/dataset/cache.ts';

const question = (text: string, change: object = {}) => ({ revision: 1, text, values: [], ...change });

describe('QueryCache', () => {
  it('asks once for the same question, however many wait for it', async () => {
    const cache = new QueryCache(100_000);
    let asked = 0;
    const read = async () => {
      asked++;
      await new Promise((resolve) => setImmediate(resolve));
      return [[asked]];
    };
    const answers = await Promise.all(Array.from({ length: 20 }, () => cache.ask(question('a'), read)));
    assert.equal(asked, 1);
    assert.ok(
      answers.every((one) => one[0]![0] === 1),
      'all got the one answer',
    );
    assert.deepEqual([cache.counts.hits, cache.counts.misses], [19, 1]);
  });

  it('keeps questions apart by revision, text and values', async () => {
    const cache = new QueryCache(100_000);
    let asked = 0;
    const read = async () => [[++asked]];
    const questions = [
      question('a'),
      question('a', { revision: 2 }),
      question('b'),
      question('a', { values: ['x'] }),
      question('a', { values: ['x', 'y'] }),
      question('a', { values: [['x', 'y']] }),
    ];
    for (const one of questions) await cache.ask(one, read);
    assert.equal(asked, questions.length);
  });

  it('never grows beyond its bytes, and does not keep an answer that would fill it alone', async () => {
    const cache = new QueryCache(50_000);
    for (let i = 0; i < 200; i++)
      await cache.ask(question(`q${i}`), async () => Array.from({ length: 20 }, () => ['some text', i]));
    assert.ok(cache.counts.bytes <= 50_000, String(cache.counts.bytes));
    assert.ok(cache.counts.entries > 10, String(cache.counts.entries));
    const before = cache.counts.entries;
    await cache.ask(question('huge'), async () => Array.from({ length: 2_000 }, () => ['x'.repeat(20)]));
    assert.equal(cache.counts.entries, before);
  });

  it('remembers no failure', async () => {
    const cache = new QueryCache(100_000);
    await assert.rejects(
      cache.ask(question('a'), () => Promise.reject(new Error('gone'))),
      /gone/,
    );
    assert.deepEqual(await cache.ask(question('a'), async () => [['there']]), [['there']]);
  });

  it('keeps nothing of a live source whose answers hold for no time', async () => {
    const cache = new QueryCache(100_000);
    let asked = 0;
    const read = async () => [[++asked]];
    for (let i = 0; i < 3; i++) await cache.ask(question('a', { keepMs: 0 }), read);
    assert.deepEqual([asked, cache.counts.entries], [3, 0]);
  });

  it('lets the answers of a live source go after their time', async () => {
    const cache = new QueryCache(100_000);
    let asked = 0;
    const read = async () => [[++asked]];
    await cache.ask(question('a', { keepMs: 1 }), read);
    await new Promise((resolve) => setTimeout(resolve, 20));
    await cache.ask(question('a', { keepMs: 1 }), read);
    assert.equal(asked, 2);
  });
});
