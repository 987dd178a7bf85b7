import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { SaxesParser } from 'saxes';
import { author, owner, reader, SmallHouse } from '../smallHouse.ts';

describe('a small picture', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const at = { column: 1, row: 1, width: 6, height: 4 };
    const figures = [{ name: 'count', report: 'works', page: 'all', figure: 'count', at }];
    const board = { format: 'underbell-board/1', name: 'day', title: 'Day', figures };
    await small.fine('PUT', '/api/v1/boards', { definition: board }, author);
    const placement = { kind: 'portal', title: 'Kinds <of> works', report: 'works', page: 'all', figure: 'by-kind' };
    await small.fine('PUT', '/api/v1/placements/kinds', placement, author);
    await small.fine('PUT', '/api/v1/placements/board', { kind: 'portal', title: 'Day', board: 'day' }, author);
  });
  after(() => small.close());
  const draw = (path: string, as: string, headers: Record<string, string> = {}) =>
    small.house.call('GET', `/api/v1/${path}/thumbnail`, { as, headers });

  it('is drawn of reports, boards and placements, with the rows of whoever looks', async () => {
    for (const path of ['reports/works', 'boards/day', 'placements/kinds', 'placements/board']) {
      const { status, text, headers } = await draw(path, author);
      assert.equal(status, 200, text);
      assert.match(headers.get('Content-Type')!, /^image\/svg\+xml/);
      assert.doesNotThrow(() => new SaxesParser().write(text).close(), path);
      assert.doesNotMatch(text, /<script|<foreignObject|onload=|href=/i);
    }
    const mine = (await draw('reports/works', reader)).text;
    assert.match(mine, />10</, 'ten rows of one quay');
    assert.doesNotMatch(mine, /Q2|Q3|Q4/);
  });

  it('is for whoever may see the thing alone, and tells nobody else that there is one', async () => {
    for (const path of ['boards/day', 'placements/board']) {
      const refused = await draw(path, reader);
      const none = await draw(path.replace(/[^/]+$/, 'nothing'), reader);
      assert.deepEqual([refused.status, refused.body.code], [none.status, none.body.code], path);
      assert.equal(refused.status, 404);
    }
    assert.equal((await fetch(`${small.house.url}/api/v1/reports/works/thumbnail`)).status, 401);
    await small.fine('POST', '/api/v1/placements/kinds/suspend', undefined, author);
    assert.equal((await draw('placements/kinds', author)).body.code, 'PLACEMENT_SUSPENDED');
    await small.fine('POST', '/api/v1/placements/kinds/resume', undefined, author);
  });

  it('is sent once, and anew as soon as a rule changes', async () => {
    const first = await draw('reports/works', reader);
    const known = { 'If-None-Match': first.headers.get('ETag')! };
    assert.equal((await draw('reports/works', reader, known)).status, 304);
    await small.rule("kind = 'lights' AND quay IN (person('quay'))");
    const next = await draw('reports/works', reader, known);
    assert.equal(next.status, 200);
    assert.notEqual(next.text, first.text);
  });

  it('is no look: it counts nowhere as one', async () => {
    const { use } = (await small.fine('GET', '/api/v1/placements/kinds', undefined, owner)).body as unknown as {
      use: { views: number; lastSeenAt: string | null };
    };
    assert.deepEqual([use.views, use.lastSeenAt], [0, null]);
  });
});
