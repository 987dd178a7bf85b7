import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { ViewResponse } from '@underbell/core/view';
import { author, owner, reader, report, rowsOf, SmallHouse } from '../smallHouse.ts';

/** What a page carries with it: where it would ask, and the answer. */
function aheadIn(html: string): { path: string; answer: ViewResponse } | undefined {
  const [, path, text] =
    /<script type="application\/json" id="ahead" data-path="([^"]*)">([^<]*)<\/script>/.exec(html) ?? [];
  return path === undefined
    ? undefined
    : { path: path.replaceAll('&amp;', '&'), answer: JSON.parse(text!) as ViewResponse };
}

const rowsIn = (html: string): number => aheadIn(html)?.answer.results['rows']?.rows.length ?? 0;

describe('the answer that comes with a page', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());
  const page = (path: string, as?: string, headers: Record<string, string> = {}) =>
    small.house.call('GET', path, { headers, ...(as ? { as } : {}) });

  it('is the one that the page would have got by asking, and is kept by nothing between', async () => {
    const sent = await page('/r/works?least=110&choose=by-kind:painting', reader);
    const found = aheadIn(sent.text)!;
    assert.equal(found.path, '/api/v1/reports/works/view?least=110&choose=by-kind%3Apainting');
    assert.equal(sent.headers.get('cache-control'), 'private, no-store');
    const asked = await small.house.call('GET', found.path, { as: reader });
    assert.deepEqual(found.answer, JSON.parse(asked.text));
    assert.equal(found.answer.viewer, 'Reader');
    assert.ok(
      rowsOf(asked, 'rows').every((row) => row[1] === 'Q1'),
      'the reader’s rows alone',
    );
  });

  it('is sent to nobody who would not be answered, and says nothing of why', async () => {
    const bare = (await page('/r/works')).text;
    for (const [path, as] of [
      ['/r/works', undefined],
      ['/r/nothing', reader],
      ['/r/works?least=many', reader],
      ['/r/works?page=none', reader],
      ['/r/works?where=cost%20%3E%3E', reader],
      ['/r/works?where=pg_sleep(1)%20IS%20NULL', reader],
    ] as const) {
      const { status, text } = await page(path, as);
      assert.equal(status, 200);
      assert.equal(aheadIn(text), undefined, path);
      assert.equal(text.replace('data-report="nothing"', 'data-report="works"'), bare, path);
    }
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'secret' }), notes: '' }, author);
    const hidden = await page('/r/secret', reader);
    assert.equal(hidden.text, (await page('/r/secret')).text, 'as to a stranger');
    assert.equal(aheadIn((await page('/r/works', reader, { 'Sec-Purpose': 'prefetch' })).text), undefined);
  });

  it('is data that no text in it ends', async () => {
    const title = '</script><script>alert(1)</script><!--';
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'odd', title }), notes: '' }, author);
    const { text } = await page('/r/odd', author);
    assert.equal(text.match(/<script/g)!.length, (await page('/r/odd')).text.match(/<script/g)!.length + 1);
    assert.equal(aheadIn(text)!.answer.report?.title, title);
  });

  it('follows a rule at once', async () => {
    const rows = async () => rowsIn((await page('/r/works', reader)).text);
    const before = await rows();
    await small.rule("quay IN (person('quay')) AND kind = 'lights'");
    assert.ok((await rows()) < before);
    await small.fine('DELETE', '/api/v1/datasets/works/row-rules/own-quay?confirmed=true', undefined, owner);
    assert.ok((await rows()) > before);
  });
});
