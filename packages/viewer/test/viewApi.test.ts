import assert from 'node:assert/strict';
import { afterEach, before, beforeEach, describe, it } from 'node:test';
import fc from 'fast-check';
import { casesOf } from '../../core/test/cases.ts';
import { readAddress } from '../src/view/address.ts';
import { askEarly, toSearch, ViewApi, ViewProblem, type ViewState } from '../src/view/viewApi.ts';
import { openWindow } from './window.ts';

interface Asked {
  readonly path: string;
  readonly method: string;
  readonly headers: Record<string, string>;
  readonly body: unknown;
}
const nothing: ViewState = { choices: {}, drills: {}, without: [], parameters: {} };
const usualFetch = globalThis.fetch;

describe('what the viewer asks the service', () => {
  let asked: Asked[];
  let answer: () => Response | Promise<Response>;
  beforeEach(() => {
    asked = [];
    answer = () => Response.json({ title: 'Quays' });
    globalThis.fetch = (async (path: string, options: RequestInit = {}) => {
      asked.push({
        path,
        method: options.method ?? 'GET',
        headers: (options.headers ?? {}) as Record<string, string>,
        body: typeof options.body === 'string' ? JSON.parse(options.body) : undefined,
      });
      return answer();
    }) as typeof fetch;
  });
  afterEach(() => {
    globalThis.fetch = usualFetch;
  });
  before(() => openWindow({ isFramed: false }));
  const placement = (language?: string) => new ViewApi({ kind: 'placement', name: 'quay page/1' }, () => language);

  it('carries the token and the language, and nothing where there is none', async () => {
    const api = placement('de');
    api.access = { token: 'abc' };
    await api.view(nothing);
    await placement().view({ ...nothing, page: 'routes' });
    assert.deepEqual(asked, [
      {
        path: '/api/v1/placements/quay%20page%2F1/view?',
        method: 'GET',
        headers: {
          Authorization: 'Bearer abc',
          'Accept-Language': 'de',
        },
        body: undefined,
      },
      { path: '/api/v1/placements/quay%20page%2F1/view?page=routes', method: 'GET', headers: {}, body: undefined },
    ]);
  });

  it('keeps the reader\u2019s own filter out of addresses and in what is posted, and asks boards for their filter alone', async () => {
    const question: ViewState = {
      page: 'routes',
      where: 'delay > 5',
      choices: { bars: ['R01', 'R02'] },
      drills: { tree: ['Hervane'] },
      without: ['quay'],
      parameters: { month: ['2026-10'] },
    };
    const api = placement();
    await api.rows(question, { figure: 'rows', from: 200, count: 200, sort: { by: 'late', descending: true } });
    assert.deepEqual(asked[0]!.body, {
      page: 'routes',
      where: 'delay > 5',
      choose: ['bars:R01', 'bars:R02'],
      drill: ['tree:Hervane'],
      without: ['quay'],
      parameters: { month: ['2026-10'] },
      figure: 'rows',
      from: 200,
      count: 200,
      sort: { by: 'late', descending: true },
    });
    await api.words(question, { column: 'route', starts: 'O' });
    assert.equal('where' in (asked[1]!.body as object), false, 'what it may name does not depend on what it says');
    await new ViewApi({ kind: 'board', name: 'day' }, () => undefined).view(question);
    assert.equal(asked[2]!.path, '/api/v1/boards/day/view?where=delay+%3E+5');
    const shown = { datasets: [{ dataset: 'works', revision: 7 }], report: { name: 'works', edition: 3 } } as never;
    await api.events(question, shown, new AbortController().signal);
    assert.ok(!/choose|drill/.test(asked[3]!.path), 'what is picked changes nothing that is heard of');
    assert.match(asked[3]!.path, /since=works%3A7&edition=3/);
  });

  it('says what the service refuses in its words, and that it is away where nothing or somebody else answers', async () => {
    const refused = { type: 'urn:x', title: 'No', status: 403, code: 'NOT_ALLOWED', detail: 'you may not see this' };
    const says = async (of: () => Response | Promise<Response>) => {
      answer = of;
      const error = await placement()
        .view(nothing)
        .then(
          () => undefined,
          (one: unknown) => one,
        );
      assert.ok(error instanceof ViewProblem);
      return error.document.code;
    };
    assert.equal(await says(() => Response.json(refused, { status: 403 })), 'NOT_ALLOWED');
    assert.equal(await says(() => Promise.reject(new TypeError('failed to fetch'))), 'SERVICE_UNREACHABLE');
    assert.equal(await says(() => new Response('<h1>Bad gateway</h1>', { status: 502 })), 'SERVICE_UNREACHABLE');
  });

  it('takes the answer that is on its way already, once, and never for whoever shows a token', async () => {
    openWindow({ isFramed: false });
    const target = { kind: 'report', name: 'quays' } as const;
    let count = 0;
    answer = () => Response.json({ title: `answer ${++count}` });
    const title = async (api: ViewApi, question = nothing) => (await api.view(question)).title;
    const api = new ViewApi(target, () => undefined);
    askEarly(target, nothing);
    assert.equal(await title(api), 'answer 1');
    assert.equal(await title(api), 'answer 2', 'the next look is a new one');
    askEarly(target, nothing);
    assert.equal(await title(api, { ...nothing, page: 'routes' }), 'answer 4', 'another page is another question');
    const withToken = new ViewApi(target, () => undefined);
    withToken.access = { token: 'abc' };
    askEarly(target, nothing);
    assert.equal(await title(withToken), 'answer 6');
    assert.equal(asked.at(-1)!.headers['Authorization'], 'Bearer abc');
    openWindow({ isFramed: true, address: 'http://viewer.example/v/quays#host' });
    askEarly(target, nothing);
    assert.equal(asked.length, 6, 'the element’s frame waits for the token of its host');
    openWindow({ isFramed: true });
    askEarly(target, nothing);
    assert.equal(asked.length, 7, 'a plain frame waits for nobody');
  });

  it('takes the answer that came with the page, where it is to the same question', async () => {
    const target = { kind: 'report', name: 'quays' } as const;
    answer = () => Response.json({ title: 'asked' });
    const titleOf = async (path: string, question = nothing) => {
      openWindow({ isFramed: false, ahead: { path, text: '{"title":"sent"}' } });
      askEarly(target, question);
      return (await new ViewApi(target, () => undefined).view(question)).title;
    };
    assert.equal(await titleOf('/api/v1/reports/quays/view?'), 'sent');
    assert.equal(await titleOf('/api/v1/reports/quays/view?', { ...nothing, page: 'routes' }), 'asked');
    assert.equal(await titleOf('/api/v1/reports/others/view?'), 'asked');
    assert.equal(asked.length, 2, 'what was sent is not asked for');
  });

  it('takes the name of a file from the service', async () => {
    answer = () =>
      new Response('x', { headers: { 'Content-Disposition': 'attachment; filename="quays-2026-10.pdf"' } });
    assert.equal((await placement().file(nothing, { format: 'pdf' })).name, 'quays-2026-10.pdf');
    answer = () => new Response('x');
    assert.equal((await placement().file(nothing, { format: 'csv' })).name, 'figure.csv');
  });
});

describe('a question in an address', () => {
  it('is read as it was written, whatever it holds', () => {
    const figure = fc.stringMatching(/^[a-z][a-z-]{0,8}$/);
    const value = fc.string({ minLength: 1, maxLength: 12, unit: 'grapheme' }).filter((one) => one.isWellFormed());
    const marks = fc
      .dictionary(figure, fc.array(value, { minLength: 1, maxLength: 3 }), { maxKeys: 3 })
      .map((one) => ({ ...one }));
    const known = ['page', 'where', 'bare', 'choose', 'drill', 'without'];
    const question = fc.record({
      page: fc.option(figure, { nil: undefined }),
      where: fc.option(value, { nil: undefined }),
      choices: marks,
      drills: marks,
      without: fc.array(figure, { maxLength: 2 }),
      parameters: marks.map((one) => Object.fromEntries(Object.entries(one).filter(([name]) => !known.includes(name)))),
    });
    fc.assert(
      fc.property(question, (one) => {
        openWindow({ address: `http://viewer.example/r/quays?${toSearch(one as ViewState)}` });
        assert.deepEqual(readAddress().question, { ...one });
      }),
      casesOf(300, 41),
    );
  });
});
