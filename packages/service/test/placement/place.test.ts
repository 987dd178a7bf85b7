import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { House, manager, publisher } from '../house.ts';

type Results = Record<string, { rows: (string | number | null)[][] }>;

describe('placements', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const valid = {
    kind: 'portal',
    title: 'Board "page" & more',
    report: 'quay-punctuality',
    origins: ['https://board.example'],
  };
  const put = (change: object, as = publisher) =>
    house.call('PUT', '/api/v1/placements/board-page', { as, body: { ...valid, ...change } });
  const view = async (query = '', as = publisher) =>
    house.call('GET', `/api/v1/placements/board-page/view${query}`, { as });
  const sailings = (answer: Awaited<ReturnType<typeof view>>) =>
    (answer.body as unknown as { results: Results }).results['on-time']!.rows[0]![1] as number;

  it('give the lines to paste, safe for HTML', async () => {
    const { status, body } = await put({});
    assert.equal(status, 200);
    const { snippet, link } = body as unknown as { snippet: string; link: string };
    assert.equal(link, `${house.url}/v/board-page`);
    assert.match(snippet, /title="Board &quot;page&quot; &amp; more"/);
    assert.match(
      (await house.call('GET', '/v/board-page', { headers: { Referer: 'https://board.example/news' } })).headers.get(
        'content-security-policy',
      )!,
      /frame-ancestors 'self' https:\/\/board\.example$/,
    );
  });

  it('cut everybody down to their own filter and parameters', async () => {
    const whole = sailings(await view());
    await put({ where: { sailings: "quay_id = 'Q017'" } });
    const filtered = sailings(await view());
    assert.ok(filtered > 0 && filtered < whole);
    await put({ parameters: { quay: 'Q017' } });
    assert.equal(sailings(await view()), filtered);
    assert.equal(sailings(await view('?quay=Q017')), filtered);
    const other = await view('?quay=Q018');
    assert.deepEqual([other.status, other.body.code], [403, 'TOKEN_SCOPE_EXCEEDED']);
  });

  it('never widen what a person may see', async () => {
    await put({ where: { sailings: "quay_id = 'Q018'" } });
    assert.equal(sailings(await view('', manager)), 0);
  });

  it('refuse what the report does not have', async () => {
    for (const [change, code, nearest] of [
      [{ page: 'Overview' }, 'PAGE_UNKNOWN', 'overview'],
      [{ report: 'quay-punctualty' }, 'NOT_FOUND', undefined],
      [{ parameters: { Quay: 'Q017' } }, 'PARAMETER_UNKNOWN', 'quay'],
      [{ parameters: { month: 'October' } }, 'VALUE_INVALID', undefined],
      [{ where: { sailing: 'TRUE' } }, 'INPUT_INVALID', 'sailings'],
      [{ where: { sailings: "Quay_id = 'x'" } }, 'FILTER_UNKNOWN_COLUMN', 'quay_id'],
      [{ kind: 'poster' }, 'INPUT_INVALID', undefined],
      [{ titel: 'x' }, 'OPTION_UNKNOWN', 'title'],
      [{ origins: ['board.example'] }, 'INPUT_INVALID', undefined],
      [{ origins: ['https://board.example/path'] }, 'INPUT_INVALID', undefined],
      [{ origins: ['https://board.example; script-src *'] }, 'INPUT_INVALID', undefined],
      [{ origins: ['javascript:alert(1)'] }, 'INPUT_INVALID', undefined],
    ] as const) {
      const { body } = await put(change);
      assert.equal(body.code, code, JSON.stringify(body));
      if (nearest) assert.equal(body.nearest?.[0], nearest, JSON.stringify(body));
    }
  });

  it('are seen by those who may see the report, and saved by those who may edit it', async () => {
    const seen = (await house.call('GET', '/api/v1/placements', { as: manager })).body as unknown as {
      placements: { name: string }[];
    };
    assert.deepEqual(
      seen.placements.map((one) => one.name),
      ['board-page', 'network-page', 'quay-page'],
    );
    assert.equal((await put({}, manager)).body.code, 'NOT_ALLOWED');
  });
});
