import assert from 'node:assert/strict';
import { beforeEach, describe, it } from 'node:test';
import { ref } from 'vue';
import { ApiProblem, call } from '../src/platform/api.ts';
import { useAttempt } from '../src/platform/useAttempt.ts';
import { useResource } from '../src/platform/useResource.ts';
import { capitalised, formatName, showCount, showInstant, showSize } from '../src/platform/format.ts';
import { FakeService, refusal, settled, staged } from './stage.ts';

let service: FakeService;
beforeEach(() => {
  service = new FakeService();
});

describe('call', () => {
  const problemOf = async (work: Promise<unknown>) => {
    const error: unknown = await work.then(
      () => assert.fail('it was not refused'),
      (thrown: unknown) => thrown,
    );
    assert.ok(error instanceof ApiProblem, String(error));
    return error.document;
  };

  it('sends JSON and gives the answer', async () => {
    const answer = call<{ name: string }>('PUT', '/api/v1/things/a', { name: 'A' });
    const asked = await service.answer({ status: 201, body: { name: 'A' } });
    assert.deepEqual([asked.method, asked.path, asked.body], ['PUT', '/api/v1/things/a', { name: 'A' }]);
    assert.deepEqual(await answer, { name: 'A' });
  });

  it('takes an answer without words', async () => {
    const answer = call('DELETE', '/api/v1/things/a');
    await service.answer({ status: 204 });
    assert.equal(await answer, undefined);
  });

  it('refuses as the service does, with every word of it', async () => {
    const answer = problemOf(call('GET', '/x'));
    await service.answer(refusal('FILTER_UNKNOWN_COLUMN', { word: 'quai', nearest: ['quay'], hint: 'did you mean' }));
    const { code, word, nearest } = await answer;
    assert.deepEqual([code, word, nearest], ['FILTER_UNKNOWN_COLUMN', 'quai', ['quay']]);
  });

  it('says that the service is away: no line, a page of a gateway, an answer that breaks off, words of nobody', async () => {
    for (const answer of [
      new TypeError('fetch failed'),
      { status: 502, text: '<html>Bad gateway</html>' },
      { status: 200, text: '{"name": "A' },
      { status: 500, body: { error: 'something' } },
      { status: 503, body: null },
    ]) {
      const problem = problemOf(call('GET', '/x'));
      await service.answer(answer);
      assert.equal((await problem).code, 'SERVICE_UNREACHABLE', JSON.stringify(answer));
    }
  });
});

describe('useResource', () => {
  it('is fetched at once, and anew when its path changes; what was there is not shown for another', async () => {
    const path = ref('/a');
    const { used } = staged(() => useResource<string>(path));
    assert.equal(used.isLoading.value, true);
    await service.answer({ body: 'A' });
    assert.deepEqual([used.data.value, used.isLoading.value], ['A', false]);
    path.value = '/b';
    await settled();
    assert.equal(used.data.value, undefined);
    await service.answer({ body: 'B' });
    assert.equal(used.data.value, 'B');
  });

  it('waits while there is no path', async () => {
    const path = ref<string>();
    const { used } = staged(() => useResource<string>(path));
    await settled();
    assert.deepEqual([service.asked, used.isLoading.value], [[], false]);
    path.value = '/a';
    await service.answer({ body: 'A' });
    assert.equal(used.data.value, 'A');
  });

  it('keeps the newest answer, in whatever order they come, and shows no refusal that comes too late', async () => {
    for (const late of [{ body: 'slow' }, refusal('NOT_FOUND')]) {
      const path = ref('/slow');
      const { used } = staged(() => useResource<string>(path));
      path.value = '/fast';
      await settled();
      const [slow, fast] = [...service.waiting];
      await fast!.answer({ body: 'fast' });
      await slow!.answer(late);
      assert.deepEqual([used.data.value, used.error.value, used.isLoading.value], ['fast', undefined, false]);
    }
  });

  it('keeps what it has when looking again is refused, and says so until it goes well', async () => {
    const { used } = staged(() => useResource<string>('/a'));
    await service.answer({ body: 'A' });
    void used.reload();
    await service.answer(new Error('offline'));
    assert.deepEqual([used.data.value, used.error.value?.code], ['A', 'SERVICE_UNREACHABLE']);
    void used.reload();
    await service.answer({ body: 'A2' });
    assert.deepEqual([used.data.value, used.error.value], ['A2', undefined]);
  });

  it('has no use for an answer when its page has gone', async () => {
    const { used, leave } = staged(() => useResource<string>('/a'));
    await settled();
    leave();
    await service.answer({ body: 'A' });
    assert.equal(used.data.value, undefined);
  });
});

describe('useAttempt', () => {
  it('says what is going on, and nothing afterwards', async () => {
    const { busy, problem, attempt } = useAttempt<'save' | 'drop'>();
    const work = attempt('save', () => call('PUT', '/a', {}));
    assert.equal(busy.value, 'save');
    await service.answer({ status: 204 });
    await work;
    assert.deepEqual([busy.value, problem.value], ['', undefined]);
  });

  it('keeps a refusal until the next attempt', async () => {
    const { busy, problem, attempt } = useAttempt();
    const first = attempt('work', () => call('PUT', '/a', {}));
    await service.answer(refusal('NOT_ALLOWED'));
    await first;
    assert.deepEqual([busy.value, problem.value?.code], ['', 'NOT_ALLOWED']);
    const second = attempt('work', () => call('PUT', '/a', {}));
    assert.equal(problem.value, undefined);
    await service.answer({ status: 204 });
    await second;
  });

  it('swallows no mistake of our own', async () => {
    const { busy, attempt } = useAttempt();
    await assert.rejects(
      attempt('work', () => Promise.reject(new TypeError('a mistake'))),
      TypeError,
    );
    assert.equal(busy.value, '');
  });
});

describe('words', () => {
  it('show numbers, sizes and instants as people read them', () => {
    assert.equal(showCount(1_234_567), '1,234,567');
    assert.deepEqual(['pdf', 'template', 'odd'].map(formatName), ['PDF', 'workbook template', 'odd']);
    assert.deepEqual([0, 999, 1_000, 999_000, 5_000_000, 1_234_500_000].map(showSize), [
      '0 B',
      '999 B',
      '1 kB',
      '999 kB',
      '5.0 MB',
      '1,234.5 MB',
    ]);
    assert.equal(showInstant(null), '–');
    assert.match(showInstant('2026-10-05T12:00:00Z'), /5 Oct 2026/);
    assert.deepEqual([capitalised('on time'), capitalised('')], ['On time', '']);
  });
});
