import assert from 'node:assert/strict';
import { afterEach, beforeEach, describe, it } from 'node:test';
import { FakeService, refusal, settled, staged } from '../../console/test/stage.ts';
import type { HostQuestion, TokenState } from '../src/host/host.ts';
import { openWindow } from './window.ts';

const own = openWindow({ isFramed: false, address: 'http://viewer.example/r/takings?page=overview&quay=Q017' });
Object.defineProperty(globalThis, 'navigator', { value: {}, configurable: true });
const { useView } = await import('../src/view/useView.ts');

type View = ReturnType<typeof useView>;
const answer = (title: string, more: object = {}) => ({
  body: {
    title,
    page: { name: 'overview', title, figures: [] },
    pages: [],
    datasets: [],
    parameters: [],
    results: {},
    ...more,
  },
});

/** A token of a host for one quay; only its signature tells two of them apart. */
const tokenOf = (quay: string, signature: string) =>
  `header.${btoa(JSON.stringify({ authorization_details: [{ where: { sailings: `quay = '${quay}'` } }] }))}.${signature}`;

describe('a page that is read', () => {
  let service: FakeService;
  let leave: () => void = () => undefined;
  /** What the page around was told. */
  const told: object[] = [];
  /** The page around wants something else shown. */
  let showsElse: (question: HostQuestion) => void = () => undefined;
  /** Another record is shown around. */
  let showsRecord: (record: Readonly<Record<string, string>>) => void = () => undefined;
  /** How often another token was asked for. */
  let renewals = 0;
  beforeEach(() => {
    told.length = 0;
    renewals = 0;
    service = new FakeService();
    own.addresses.length = 0;
  });
  afterEach(() => leave());

  /** @param framed - the talk with the page around, which says when a token is there */
  function open(framed?: (onToken: (state: TokenState) => void) => void): View {
    const channel = {
      isFramed: framed !== undefined,
      tell: (message: object) => void told.push(message),
      listen(show: typeof showsElse, record: typeof showsRecord) {
        showsElse = show;
        showsRecord = record;
      },
      renew: () => void renewals++,
      ask: framed ?? ((onToken: (state: TokenState) => void) => onToken({ none: true })),
    };
    const found = staged(() => useView({ kind: 'report', name: 'takings' }, channel as never));
    leave = found.leave;
    return found.used;
  }
  const asked = () => {
    const [, query] = service.asked.at(-1)!.split('?');
    return Object.fromEntries(new URLSearchParams(query));
  };

  it('begins with what the address asks for', async () => {
    const view = open();
    assert.equal(view.isLoading.value, true);
    await service.answer(answer('Takings'));
    assert.deepEqual(
      [view.answer.value?.title, view.isLoading.value, view.problem.value],
      ['Takings', false, undefined],
    );
    assert.match(service.asked[0]!, /^GET \/api\/v1\/reports\/takings\/view\?/);
    assert.deepEqual(asked(), { page: 'overview', quay: 'Q017' });
  });

  it('shows the newest answer, in whatever order they come', async () => {
    const view = open();
    await settled();
    view.setWhere("quay = 'Q001'");
    await settled();
    const [first, second] = [...service.waiting];
    await second!.answer(answer('Narrow'));
    await first!.answer(answer('Wide'));
    assert.deepEqual([view.answer.value?.title, view.isLoading.value], ['Narrow', false]);
  });

  it('writes what was asked into the address, so that it can be kept', async () => {
    const view = open();
    await service.answer(answer('Takings'));
    view.pick('by-quay', 'Sallow Pier', false);
    view.setWhere('takings > 3');
    const { searchParams } = new URL(own.addresses.at(-1)!, 'http://viewer.example');
    assert.deepEqual(
      [searchParams.getAll('choose'), searchParams.get('where'), searchParams.get('quay')],
      [['by-quay:Sallow Pier'], 'takings > 3', 'Q017'],
    );
  });

  it('picks a mark, several, and lets them go', async () => {
    const view = open();
    const held = () => view.question.value.choices['f'];
    view.pick('f', 'a', false);
    view.pick('f', 'b', false);
    assert.deepEqual(held(), ['b'], 'another takes its place');
    view.pick('f', 'a', true);
    assert.deepEqual(held(), ['b', 'a']);
    view.pick('f', 'b', true);
    assert.deepEqual(held(), ['a']);
    view.pick('f', 'a', false);
    assert.equal(held(), undefined, 'the same again lets it go');
    view.pick('f', 'a', true);
    view.pick('f', 'b', true);
    view.pick('f', 'b', false);
    assert.deepEqual(held(), ['b'], 'one of several alone');
    view.pick('g', 'c', false);
    view.clear('f');
    assert.deepEqual(view.question.value.choices, { g: ['c'] });
    view.setWhere('TRUE');
    view.clear();
    assert.deepEqual([view.question.value.choices, view.question.value.where], [{}, undefined]);
  });

  it('opens a mark: what was picked on the level before has no meaning on the next', () => {
    const view = open();
    view.pick('f', 'north', false);
    view.pick('g', 'x', false);
    view.drill('f', ['north']);
    assert.deepEqual(view.question.value.drills, { f: ['north'] });
    assert.deepEqual(view.question.value.choices, { g: ['x'] });
    view.drill('f', []);
    assert.deepEqual(view.question.value.drills, {});
  });

  it('takes a parameter off, also where the report has a value for it', () => {
    const view = open();
    view.setParameter('period', ['2026-10']);
    assert.deepEqual(view.question.value.parameters, { quay: ['Q017'], period: ['2026-10'] });
    view.setParameter('period', []);
    assert.deepEqual([view.question.value.parameters, view.question.value.without], [{ quay: ['Q017'] }, ['period']]);
    view.setParameter('period', ['2026-09']);
    assert.deepEqual(view.question.value.without, []);
  });

  it('turns to another page, with its own filters along a link and without otherwise', async () => {
    const view = open();
    await service.answer(answer('Takings', { own: "quay = 'Q017'" }));
    view.pick('f', 'a', false);
    view.turnTo('quays', true);
    const { page, where, choices } = view.question.value;
    assert.deepEqual([page, where, choices], ['quays', "quay = 'Q017'", {}]);
    view.setWhere(undefined);
    view.turnTo('overview');
    assert.equal(view.question.value.where, undefined);
  });

  it('has an address that shows the same to others', async () => {
    const view = open();
    await service.answer(answer('Takings', { own: "quay = 'Q017'" }));
    view.pick('f', 'a', false);
    const link = new URL(view.link.value);
    assert.deepEqual([link.origin, link.pathname], ['http://viewer.example', '/r/takings']);
    assert.deepEqual(
      Object.fromEntries(link.searchParams),
      { page: 'overview', where: "quay = 'Q017'", quay: 'Q017' },
      'picked marks are in its filter',
    );
  });

  it('keeps what was there without a connection, and says so until it is back', async () => {
    const view = open();
    await service.answer(answer('Takings'));
    for (const broken of [
      new TypeError('fetch failed'),
      { status: 200, text: '{"title": "Tak' },
      { status: 502, body: { error: 'gateway' } },
    ]) {
      void view.reload();
      await service.answer(broken);
      assert.deepEqual(
        [view.answer.value?.title, view.isOffline.value, view.problem.value],
        ['Takings', true, undefined],
      );
      void view.reload();
      await service.answer(answer('Takings'));
      assert.equal(view.isOffline.value, false);
    }
  });

  it('says why there is nothing to show', async () => {
    const view = open();
    await service.answer(new TypeError('fetch failed'));
    assert.deepEqual([view.isOffline.value, view.problem.value?.code], [false, 'SERVICE_UNREACHABLE']);
    void view.reload();
    await service.answer(refusal('FILTER_UNKNOWN_COLUMN', { word: 'quai' }));
    assert.equal(view.problem.value?.word, 'quai');
    void view.reload();
    await service.answer(answer('Takings'));
    assert.equal(view.problem.value, undefined);
  });

  it('tells the page around once what is wrong, until it was right again', async () => {
    const view = open((onToken) => onToken({ none: true }));
    const codes = () => told.map((one) => (one as { code?: string }).code).filter((one) => one !== undefined);
    const sees = async (seen: Parameters<typeof service.answer>[0]) => {
      void view.reload();
      await service.answer(seen);
    };
    await service.answer(refusal('FILTER_UNKNOWN_COLUMN', { word: 'quai' }));
    await sees(refusal('FILTER_UNKNOWN_COLUMN', { word: 'quai' }));
    assert.deepEqual(codes(), ['FILTER_UNKNOWN_COLUMN']);
    await sees(answer('Takings'));
    await sees(refusal('FILTER_UNKNOWN_COLUMN', { word: 'quai' }));
    assert.deepEqual(codes(), ['FILTER_UNKNOWN_COLUMN', 'FILTER_UNKNOWN_COLUMN']);
  });

  it('waits in a frame for its token, and does not flicker when that is renewed', async () => {
    let say: (state: TokenState) => void = () => undefined;
    const view = open((onToken) => (say = onToken));
    await settled();
    assert.deepEqual(service.asked, []);
    say({ token: tokenOf('Q001', 'one'), host: 'http://portal.example' });
    await service.answer(answer('Takings'));
    say({ token: tokenOf('Q001', 'two'), host: 'http://portal.example' });
    await settled();
    assert.deepEqual([service.asked.length, view.api.access?.token], [1, tokenOf('Q001', 'two')]);
    view.pick('f', 'a', false);
    assert.deepEqual(own.addresses, [], 'the address of a frame is nobody’s');
    assert.deepEqual(told, [
      { underBell: 'ready', page: 'overview' },
      { underBell: 'selection', figure: 'f', values: ['a'] },
    ]);
    showsElse({ page: 'other', where: "quay = 'Q002'", parameters: {} });
    await settled();
    assert.deepEqual([view.question.value.page, view.question.value.choices], ['other', {}]);
    const before = service.asked.length;
    say({ token: tokenOf('Q002', 'three'), host: 'http://portal.example' });
    await settled();
    assert.equal(service.asked.length, before + 1, 'another record is looked at anew');
  });

  it('says so when the page around has no token for it, and goes on when it has', async () => {
    let say: (state: TokenState) => void = () => undefined;
    const view = open((onToken) => (say = onToken));
    say({ failure: 'the portal is down' });
    assert.deepEqual(
      [view.problem.value?.code, view.problem.value?.hint, view.isLoading.value],
      ['TOKEN_INVALID', 'the portal is down', false],
    );
    say({ token: 'one', host: 'http://portal.example' });
    await service.answer(answer('Takings'));
    assert.deepEqual([view.problem.value, view.answer.value?.title], [undefined, 'Takings']);
  });

  it('passes on why the host’s server gave no token, where readers are to know it', () => {
    let say: (state: TokenState) => void = () => undefined;
    const view = open((onToken) => (say = onToken));
    for (const [code, title] of [
      ['RECORD_INCOMPLETE', 'Record incomplete'],
      ['APP_DISABLED', 'App disabled'],
    ] as const) {
      say({ failure: 'as it was said', code });
      const { problem } = view;
      assert.deepEqual(
        [problem.value?.code, problem.value?.title, problem.value?.detail],
        [code, title, 'as it was said'],
      );
    }
    // What else a host's server says is the host's own affair, and no code of ours.
    say({ failure: 'x', code: 'NOT_FOUND' });
    assert.equal(view.problem.value?.code, 'TOKEN_INVALID');
  });

  it('follows a record: page and what was picked stay, and late answers are nobody’s', async () => {
    const view = open((onToken) => onToken({ none: true }));
    await service.answer(answer('Takings'));
    view.turnTo('other');
    await service.answer(answer('Takings'));
    view.pick('bars', 'a', false);
    await service.answer(answer('Takings'));
    showsRecord({ quay: 'Q1' });
    showsRecord({ quay: 'Q2' });
    await settled();
    assert.deepEqual(
      [view.question.value.page, view.question.value.choices, view.question.value.record],
      ['other', { bars: ['a'] }, { quay: 'Q2' }],
    );
    assert.deepEqual([asked()['record'], asked()['choose'], asked()['page']], ['quay:Q2', 'bars:a', 'other']);
    // The frame shows the first until the second is there: nothing flickers in between.
    assert.equal(view.answer.value?.title, 'Takings');
  });

  it('takes a host’s record along in its address, and nothing else of its token', async () => {
    const details = [{ context: { quay: 'Q1', company: 'trüst' }, where: { sailings: 'secret' } }];
    const bytes = String.fromCharCode(...new TextEncoder().encode(JSON.stringify({ authorization_details: details })));
    const view = open((onToken) => onToken({ token: `h.${btoa(bytes)}.s`, host: 'http://portal.example' }));
    await service.answer(answer('Takings'));
    const words = new URL(view.link.value).searchParams;
    assert.deepEqual(words.getAll('record'), ['quay:Q1', 'company:trüst']);
    assert.ok(!view.link.value.includes('secret') && !view.link.value.includes('h.'));
  });

  it('asks once for another token where its own opens nothing any more, and shows what it has meanwhile', async () => {
    let say: (state: TokenState) => void = () => undefined;
    const view = open((onToken) => (say = onToken));
    say({ token: tokenOf('Q001', 'one'), host: 'http://portal.example' });
    await service.answer(answer('Takings'));
    void view.reload();
    await service.answer(refusal('TOKEN_EXPIRED'));
    assert.deepEqual([renewals, view.problem.value, view.answer.value?.title], [1, undefined, 'Takings']);
    say({ token: tokenOf('Q001', 'two'), host: 'http://portal.example' });
    await service.answer(answer('Takings again'));
    assert.deepEqual([view.problem.value, view.answer.value?.title], [undefined, 'Takings again']);
    // Another one that opens nothing is said.
    void view.reload();
    await service.answer(refusal('TOKEN_EXPIRED'));
    say({ token: tokenOf('Q001', 'three'), host: 'http://portal.example' });
    await service.answer(refusal('TOKEN_EXPIRED'));
    assert.deepEqual([renewals, view.problem.value?.code], [2, 'TOKEN_EXPIRED']);
  });

  it('goes on with what a sign-in window handed over', async () => {
    const view = open();
    await service.answer(refusal('SIGN_IN_NEEDED'));
    view.signedIn('a-key');
    await service.answer(answer('Takings'));
    assert.deepEqual([view.api.access?.token, view.problem.value], ['a-key', undefined]);
  });
});
