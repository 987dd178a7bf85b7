import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { PublicLink, PublicLinks } from '@underbell/core/placement';
import type { App } from '../../src/platform/index.ts';
import { until } from '../house.ts';
import { author, owner, reader, report, root, rowsOf, SmallHouse } from '../smallHouse.ts';

const days = (count: number) => new Date(Date.now() + count * 86_400_000).toISOString();

describe('a public link', () => {
  let small: SmallHouse;
  let link: PublicLink;
  before(async () => {
    small = await SmallHouse.open();
    const csv = 'id,quay,kind,cost\n1,Q1,dredging,10\n2,Q2,painting,20\n3,Q3,lights,30\n';
    const loaded = await small.house.call('PUT', '/api/v1/datasets/open/file?key=quay=quay', { as: owner, csv });
    assert.equal(loaded.status, 200, loaded.text);
    const { measures, ...rest } = report({ name: 'open', datasets: { open: {} } });
    const definition = JSON.parse(
      JSON.stringify({ ...rest, measures }).replaceAll('"dataset":"works"', '"dataset":"open"'),
    ) as object;
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, owner);
    await small.fine('PUT', '/api/v1/placements/open', place({}), owner);
    await small.fine('PUT', '/api/v1/placements/works', place({ report: 'works' }), owner);
  });
  after(() => small.close());

  const place = (change: object) => ({ kind: 'link', title: 'Works', report: 'open', origins: [], ...change });
  const on = (isOn: boolean, as = root) => small.house.call('PUT', '/api/v1/public-links', { as, body: { isOn } });
  const make = (as = owner, name = 'open', body: object = { until: days(7), note: 'for the harbour fair' }) =>
    small.house.call('POST', `/api/v1/placements/${name}/public-links`, { as, body });
  const keyOf = (one: PublicLink) => one.url.slice(one.url.lastIndexOf('/') + 1);
  const ask = (what = 'view', name = 'open', key = keyOf(link)) =>
    small.house.call('GET', `/api/v1/placements/${name}/${what}`, { token: key });
  const post = (what: string, body: object, key = keyOf(link)) =>
    small.house.call('POST', `/api/v1/placements/open/${what}`, { token: key, body });
  const listed = async () =>
    (await small.fine('GET', '/api/v1/placements/open/public-links', undefined, owner)).body as unknown as PublicLinks;

  it('is made only where an administrator has switched them on, with an end and a note', async () => {
    assert.equal((await make()).body.code, 'NOT_PUBLIC');
    for (const as of [owner, author, reader]) assert.equal((await on(true, as)).body.code, 'NOT_ALLOWED');
    assert.equal((await on(true)).status, 200);
    assert.equal((await make(owner, 'open', { until: days(7), note: ' ' })).body.code, 'INPUT_INVALID');
    assert.equal((await make(owner, 'open', { note: 'x' })).body.code, 'INPUT_INVALID');
    for (const until of [days(-1), days(400), 'tomorrow'])
      assert.equal((await make(owner, 'open', { until, note: 'x' })).body.code, 'INPUT_INVALID', until);
    const made = await make();
    assert.equal(made.status, 201, made.text);
    link = made.body as unknown as PublicLink;
    assert.match(link.url, /\/p\/ubp_[\w-]{20,}$/);
  });

  it('is refused for what is not for everybody, and to who does not decide about it', async () => {
    assert.match((await make(owner, 'works')).body.detail!, /row rules/);
    assert.equal((await make(reader)).body.code, 'NOT_FOUND');
    assert.equal((await make(author)).body.code, 'NOT_ALLOWED', 'the report is theirs to keep, the data is not');
    await small.fine('PUT', '/api/v1/placements/inside', place({ kind: 'portal' }), owner);
    assert.match((await make(owner, 'inside')).body.detail!, /type portal/);
    assert.equal((await make(owner, 'nothing')).body.code, 'NOT_FOUND');
  });

  it('shows its figures to a stranger, and is told to no search engine', async () => {
    const page = await small.house.call('GET', new URL(link.url).pathname);
    assert.equal(page.status, 200);
    assert.match(page.headers.get('x-robots-tag')!, /noindex/);
    assert.equal(page.headers.get('cache-control'), 'private, no-store');
    assert.equal(page.headers.get('referrer-policy'), 'no-referrer');
    assert.match((await small.house.call('GET', '/robots.txt')).text, /Disallow: \//);
    const seen = await ask();
    assert.equal(seen.status, 200, seen.text);
    assert.equal(rowsOf(seen, 'rows').length, 3);
    assert.equal(seen.body['isPublic'], true);
    assert.equal(seen.body['mayExport'], undefined);
    assert.ok(!seen.text.includes(owner), 'nothing of who made it');
    // Views are written a second later, many at once.
    const counted = await until(async () => (await listed()).links.find((one) => one.views > 0));
    assert.deepEqual([counted.views, typeof counted.lastViewedAt], [1, 'string']);
  });

  it('opens nothing but that, whatever is asked with its key', async () => {
    const codes = async (asked: Promise<{ status: number; body: { code?: unknown } }>) => (await asked).body.code;
    assert.equal(await codes(ask('view?where=cost%20%3E%2015')), 'TOKEN_SCOPE_EXCEEDED', 'no probing of columns');
    assert.equal(await codes(post('filter-suggestions', { column: 'quay' })), 'TOKEN_SCOPE_EXCEEDED');
    assert.equal(await codes(post('export', { format: 'csv', figure: 'rows' })), 'TOKEN_SCOPE_EXCEEDED');
    assert.equal(await codes(post('rows', { figure: 'rows', where: 'cost > 1' })), 'TOKEN_SCOPE_EXCEEDED');
    assert.equal(await codes(ask('view', 'works')), 'TOKEN_SCOPE_EXCEEDED', 'another placement');
    for (const path of [
      '/api/v1/reports/open/view',
      '/api/v1/session',
      '/api/v1/active-access',
      '/api/v1/placements',
      '/api/v1/users',
    ])
      assert.equal(await codes(small.house.call('GET', path, { token: keyOf(link) })), 'SIGN_IN_NEEDED', path);
    const other = `${keyOf(link).slice(0, -1)}${keyOf(link).endsWith('A') ? 'B' : 'A'}`;
    for (const key of [other, 'ubp_', `ubp_${link.id}`])
      assert.equal(await codes(ask('view', 'open', key)), 'LINK_GONE');
    const nothing = await small.house.call('GET', `/p/${other}`);
    assert.match(nothing.text, /data-placement="ended"/);
  });

  it('shows nothing as soon as a rule, a mask, the switch or the placement say so, and again afterwards', async () => {
    const gone = async () => {
      const seen = await ask();
      assert.deepEqual([seen.status, seen.body.code], [410, 'LINK_GONE'], seen.text);
      return (await listed()).links[0]!.closed;
    };
    const fine = async () => assert.equal((await ask()).status, 200);
    const rule = '/api/v1/datasets/open/row-rules/own';
    await small.fine('PUT', rule, { appliesTo: { kind: 'group', name: 'Readers' }, where: "quay = 'Q1'" }, owner);
    assert.match((await gone())!, /row rules/);
    await small.fine('DELETE', `${rule}?confirmed=true`, undefined, owner);
    await fine();
    const mask = '/api/v1/datasets/open/masks/no-cost';
    const effect = { kind: 'hide', column: 'cost' };
    await small.fine('PUT', mask, { appliesTo: { kind: 'place', name: 'link' }, effect }, owner);
    assert.match((await gone())!, /masks/);
    await small.fine('DELETE', mask, undefined, owner);
    await fine();
    await on(false);
    assert.match((await gone())!, /disabled/);
    await on(true);
    await small.fine('POST', '/api/v1/placements/open/suspend', undefined, owner);
    await gone();
    await small.fine('POST', '/api/v1/placements/open/resume', undefined, owner);
    await fine();
  });

  it('stands among what was handed out, keeps its address when the placement is renamed, and ends at once', async () => {
    await small.fine('PUT', '/api/v1/placements/open/name', { name: 'fair' }, owner);
    assert.equal((await ask('view', 'fair')).status, 200);
    const doors = async (as: string) =>
      (
        (await small.fine('GET', '/api/v1/active-access?kind=public%20link', undefined, as)).body as unknown as {
          open: object[];
        }
      ).open;
    assert.equal((await doors(owner)).length, 1);
    assert.equal((await doors(root)).length, 1);
    assert.deepEqual(await doors(reader), []);
    const end = (as: string) => small.house.call('DELETE', `/api/v1/public-links/${link.id}`, { as });
    assert.notEqual((await end(reader)).status, 204);
    const both = await Promise.all([end(owner), end(owner)]);
    assert.deepEqual(both.map((one) => one.status).sort(), [204, 404], 'once');
    assert.equal((await ask('view', 'fair')).body.code, 'LINK_GONE');
    assert.deepEqual(await doors(owner), []);
    assert.equal(
      (await small.house.call('DELETE', '/api/v1/public-links/x%27--', { as: root })).body.code,
      'NOT_FOUND',
    );
  });

  it('gets another end or note from who may make it, and does not come back by that', async () => {
    const made = (await make(owner, 'fair')).body as unknown as PublicLink;
    const change = (body: object, as = owner, id = made.id) =>
      small.house.call('PUT', `/api/v1/public-links/${id}`, { as, body });
    const until = days(30);
    const changed = await change({ until, note: 'for the whole fair' });
    assert.deepEqual(
      [changed.body['until'], changed.body['note'], changed.body['url']],
      [until, 'for the whole fair', made.url],
    );
    assert.equal((await change({ until: days(1) })).status, 200);
    assert.equal((await ask('view', 'fair', keyOf(made))).status, 200);
    for (const body of [{}, { until: days(-1) }, { until: days(400) }, { note: ' ' }])
      assert.equal((await change(body)).body.code, 'INPUT_INVALID', JSON.stringify(body));
    assert.equal((await change({ note: 'mine' }, reader)).body.code, 'NOT_FOUND');
    assert.equal((await change({ until: days(60) }, author)).body.code, 'NOT_ALLOWED', 'the data is not theirs');
    assert.equal((await change({ note: 'x' }, owner, 'x')).body.code, 'NOT_FOUND');
    await on(false);
    assert.equal((await change({ until: days(40) })).body.code, 'NOT_PUBLIC', 'a later end is as good as another link');
    assert.equal((await change({ note: 'the switch is off' })).status, 200);
    await on(true);
    const [, late] = await Promise.all([
      small.house.call('DELETE', `/api/v1/public-links/${made.id}`, { as: owner }),
      change({ until: days(50) }),
    ]);
    assert.ok([200, 404].includes(late.status), late.text);
    assert.equal((await change({ until: days(60) })).body.code, 'NOT_FOUND');
    assert.equal((await ask('view', 'fair', keyOf(made))).body.code, 'LINK_GONE');
  });

  it('answers one address only so often, and guesses fewer times still', async () => {
    const made = (await make(owner, 'fair')).body as unknown as PublicLink;
    const codes = await Promise.all(
      Array.from({ length: 140 }, async () => (await ask('view', 'fair', keyOf(made))).body.code),
    );
    assert.ok(codes.includes('RATE_LIMITED'));
    assert.ok(codes.filter((one) => one === undefined).length <= 120);
    const guesses = await Promise.all(
      Array.from({ length: 80 }, async (_, i) => (await ask('view', 'fair', `ubp_guess${i}`)).body.code),
    );
    assert.ok(guesses.includes('RATE_LIMITED'));
  });

  it('shows nothing once whoever made it has left', async () => {
    const made = (await make(owner, 'fair')).body as unknown as PublicLink;
    const { app } = small.house;
    await rateLimitsGone(app);
    assert.equal((await ask('view', 'fair', keyOf(made))).status, 200);
    await small.fine('PUT', `/api/v1/users/${owner}`, { state: 'left' }, root);
    assert.equal((await ask('view', 'fair', keyOf(made))).body.code, 'LINK_GONE');
  });
});

const rateLimitsGone = (app: App) => app.records.query('DELETE FROM rate_limits');
