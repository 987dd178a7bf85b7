import assert from 'node:assert/strict';
import { afterEach, beforeEach, describe, it, mock } from 'node:test';
import { reactive, ref } from 'vue';
import { emptyDraft, type Draft } from '../src/burst/draft.ts';
import { useDraftCheck } from '../src/burst/useDraftCheck.ts';
import { useDraftOptions } from '../src/burst/useDraftOptions.ts';
import { useRun } from '../src/burst/useRun.ts';
import { FakeService, refusal, settled, staged } from './stage.ts';

let service: FakeService;
beforeEach(() => {
  service = new FakeService();
  mock.timers.enable({ apis: ['setTimeout'] });
  Object.assign(globalThis, { window: globalThis });
});
afterEach(() => mock.timers.reset());
const pass = async (ms: number) => {
  await settled();
  mock.timers.tick(ms);
  await settled();
};

describe('a run that is looked at', () => {
  const run = (state: string) => ({ body: { id: 7, state, entries: [] } });

  it('is followed by how far it is, each look after the answer to the last, and by its ledger once it has ended', async () => {
    const { used } = staged(() => useRun(ref(7)));
    await service.answer(run('running'));
    assert.equal(used.isFollowing.value, true);
    await pass(800);
    assert.equal(service.waiting.length, 1);
    await pass(60_000);
    assert.equal(service.waiting.length, 1, 'a slow answer is waited for');
    await service.answer({ body: { id: 7, state: 'running', phase: 'sending' } });
    assert.deepEqual([used.data.value?.phase, used.data.value?.entries], ['sending', []]);
    await pass(800);
    await service.answer({ body: { id: 7, state: 'done' } });
    await service.answer(run('done'));
    assert.deepEqual([used.data.value?.state, used.isFollowing.value], ['done', false]);
    await pass(60_000);
    const [ledger, progress] = ['GET /api/v1/runs/7', 'GET /api/v1/runs/7/progress'];
    assert.deepEqual(service.asked, [ledger, progress, progress, ledger]);
  });

  it('is followed again when it was taken up again', async () => {
    const { used } = staged(() => useRun(ref(7)));
    await service.answer(run('partly'));
    await pass(5_000);
    assert.equal(service.waiting.length, 0);
    void used.reload();
    await service.answer(run('running'));
    await pass(800);
    assert.equal(service.waiting.length, 1);
  });

  it('is not followed once its page has gone', async () => {
    const { leave } = staged(() => useRun(ref(7)));
    await service.answer(run('running'));
    leave();
    await pass(60_000);
    assert.equal(service.asked.length, 1);
  });

  it('is none where none is named', async () => {
    const { used } = staged(() => useRun(ref(undefined)));
    await pass(5_000);
    assert.deepEqual([service.asked, used.isFollowing.value], [[], false]);
  });
});

describe('a burst that is being written', () => {
  const good = { body: { isNew: true, strategy: { kind: 'one pass', because: '' }, words: 'once', times: [] } };
  const begin = (change: Partial<Draft> = {}) => {
    const draft = reactive({ ...emptyDraft('Europe/Berlin'), name: 'pack', report: 'takings', ...change }) as Draft;
    const isReady = ref(true);
    return { draft, isReady, ...staged(() => useDraftCheck(draft, ref({}), isReady)) };
  };

  it('is checked a moment after the last change, as a whole', async () => {
    const { draft, used } = begin();
    draft.title = 'P';
    await pass(200);
    draft.title = 'Pack';
    await pass(200);
    assert.equal(service.asked.length, 0, 'writing goes on');
    await pass(200);
    const { path, body } = await service.answer(good);
    assert.equal(path, '/api/v1/bursts/check');
    assert.deepEqual([(body as { title: string }).title, (body as { report: string }).report], ['Pack', 'takings']);
    assert.equal(used.checked.value?.strategy.kind, 'one pass');
  });

  it('is not checked before it began, nor without a report', async () => {
    const { draft, isReady } = begin({ report: '' });
    draft.title = 'Pack';
    await pass(1_000);
    isReady.value = false;
    draft.report = 'takings';
    await pass(1_000);
    assert.deepEqual(service.asked, []);
    isReady.value = true;
    await pass(1_000);
    assert.equal(service.asked.length, 1);
  });

  it('has its problems at the steps where they are mended, until they are', async () => {
    const { draft, used } = begin();
    draft.fileName = '{quai}';
    await pass(400);
    const problems = [
      { at: '/fileName', message: 'names `quai`', hint: 'did you mean `quay`?' },
      { at: '/list', message: 'there is no list `nobody`' },
      { at: '/destination/subject', message: 'is missing' },
    ];
    await service.answer(refusal('BURST_INVALID', { problems }));
    const all = [...used.problems.value.values()].flat();
    assert.equal(all.length, 3);
    assert.ok(all.includes('/fileName names `quai` – did you mean `quay`?'));
    assert.equal(used.problems.value.size, 3, 'each in a step of its own');
    assert.equal(used.checked.value, undefined);
    draft.fileName = '{quay}';
    await pass(400);
    await service.answer(good);
    assert.equal(used.problems.value.size, 0);
  });

  it('has one problem where the service names one', async () => {
    const { draft, used } = begin();
    draft.title = 'Pack';
    await pass(400);
    await service.answer(refusal('SCHEDULE_NEVER', { pointer: '/schedule/rule', hint: 'such a day never comes' }));
    assert.deepEqual([...used.problems.value.values()].flat(), ['it is so – such a day never comes']);
  });

  it('shows what the newest check says, in whatever order the answers come', async () => {
    const { draft, used } = begin();
    draft.title = 'First';
    await pass(400);
    draft.title = 'Second';
    await pass(400);
    const [first, second] = [...service.waiting];
    await second!.answer(good);
    await first!.answer(refusal('BURST_INVALID'));
    assert.deepEqual([used.checked.value?.words, used.wrong.value], ['once', undefined]);
  });

  it('offers what fits together with what is chosen', async () => {
    const draft = reactive({ ...emptyDraft('Europe/Berlin'), kind: 'library', list: 'managers' }) as Draft;
    const { used } = staged(() => useDraftOptions(draft));
    await settled();
    const answers: Record<string, unknown> = {
      '/api/v1/reports': { reports: [{ name: 'takings', title: 'Takings' }] },
      '/api/v1/lists': { lists: [{ name: 'managers', columns: ['quay', 'email'], recipients: 2 }] },
      '/api/v1/destinations': {
        destinations: [
          { name: 'mail', kind: 'mail' },
          { name: 'quay-library', kind: 'library' },
        ],
      },
      '/api/v1/workbook-templates': { templates: [{ name: 'quay-book' }] },
      '/api/v1/reports/takings': {
        title: 'Takings',
        definition: { datasets: { kiosks: {} }, pages: [{ name: 'overview', title: 'Overview' }] },
      },
    };
    for (const one of [...service.waiting]) await one.answer({ body: answers[one.path] });
    assert.deepEqual(
      [used.reports.length, used.places.map((one) => one.name), used.columns, used.templates.length],
      [1, ['quay-library'], ['quay', 'email'], 1],
    );
    assert.deepEqual([used.pages, used.datasets], [[], []], 'no report is chosen');
    draft.report = 'takings';
    await settled();
    await service.answer({ body: answers['/api/v1/reports/takings'] });
    assert.deepEqual([used.pages[0]?.name, used.datasets, used.parameters], ['overview', ['kiosks'], []]);
    draft.kind = 'mail';
    assert.deepEqual(
      used.places.map((one) => one.name),
      ['mail'],
    );
  });
});
