import assert from 'node:assert/strict';
import { request } from 'node:http';
import { after, before, describe, it } from 'node:test';
import { sessionCookie } from '../../src/access/index.ts';
import { board, House, manager, publisher } from '../house.ts';

describe('what an attacker tries over HTTP', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());

  /** A request whose path is sent as it stands. */
  function raw(path: string, method = 'GET'): Promise<{ status: number; text: string }> {
    return new Promise((resolve, reject) => {
      const asked = request({ host: '127.0.0.1', port: new URL(house.url).port, path, method }, (answer) => {
        let text = '';
        answer.on('data', (chunk) => (text += String(chunk)));
        answer.on('end', () => resolve({ status: answer.statusCode ?? 0, text }));
      });
      asked.on('error', reject);
      asked.end();
    });
  }

  it('gets no file by a path with dots', async () => {
    for (const path of [
      '/console/assets/../../package.json',
      '/viewer/assets/..%2f..%2fpackage.json',
      '/viewer/assets/%2e%2e/%2e%2e/vite.config.ts',
      '/console/assets/%00',
      '/console/assets//etc/passwd',
      '/viewer/assets/.stamp',
    ]) {
      const { status, text } = await raw(path);
      assert.ok(status >= 400, `${path}: ${status}`);
      assert.ok(!/"name"|defineConfig|root:/.test(text), path);
    }
  });

  it('gets a problem document for a body that is too large, too deep or no JSON', async () => {
    const large = await house.call('POST', '/api/v1/reports', {
      as: publisher,
      body: { definition: { x: 'y'.repeat(5_000_000) } },
    });
    assert.deepEqual([large.status, large.body.code], [413, 'INPUT_TOO_LARGE']);
    let deep: unknown = 1;
    for (let i = 0; i < 3_000; i++) deep = { a: deep };
    const nested = await house.call('POST', '/api/v1/reports', { as: publisher, body: { definition: deep } });
    assert.equal(nested.status, 400);
    const broken = await fetch(`${house.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: '{"email":',
    });
    assert.deepEqual([broken.status, ((await broken.json()) as { code: string }).code], [400, 'INPUT_INVALID']);
  });

  it('is told what is possible where something else was asked for', async () => {
    const answer = await fetch(`${house.url}/api/v1/reports/quay-punctuality/export`);
    const problem = (await answer.json()) as { code: string; hint: string };
    assert.deepEqual([answer.status, answer.headers.get('Allow'), problem.code], [405, 'POST', 'METHOD_NOT_ALLOWED']);
    assert.equal(problem.hint, 'Allowed: POST.');
  });

  it('assigns nothing that a form does not have', async () => {
    const answer = await house.call('POST', '/api/v1/session', {
      body: { email: manager, password: 'lantern-quay-7', isAdministrator: true },
    });
    assert.equal(answer.body.code, 'OPTION_UNKNOWN');
    const proto = await fetch(`${house.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: '{"email":"a@b.example","password":"x","__proto__":{"kind":"browser"}}',
    });
    assert.ok([400, 401].includes(proto.status));
    assert.equal(({} as { kind?: string }).kind, undefined);
  });

  it('cannot use a session key, a cookie or a token of another kind', async () => {
    const key = await house.keyOf(manager);
    for (const headers of [
      { Authorization: `Bearer ${key}x` },
      { Authorization: key },
      { Cookie: `${sessionCookie(house.app)}=${key.slice(0, -1)}` },
      { Authorization: 'Bearer ' },
      { Authorization: `Basic ${Buffer.from(`${manager}:lantern-quay-7`).toString('base64')}` },
    ]) {
      assert.equal(
        (await house.call('GET', '/api/v1/session', { headers: headers as unknown as Record<string, string> })).status,
        401,
      );
    }
  });

  it('sees nothing of the inside when something breaks', async () => {
    await house.app.records.query('ALTER TABLE placements RENAME TO placements_away');
    const answer = await house.call('GET', '/api/v1/placements', { as: publisher });
    await house.app.records.query('ALTER TABLE placements_away RENAME TO placements');
    assert.deepEqual([answer.status, answer.body.code], [500, 'INTERNAL']);
    assert.match(String(answer.body.reference), /^[0-9a-f-]{36}$/);
    assert.ok(!/placements"|relation|sequelize|\.ts/i.test(answer.text), answer.text);
  });

  it('finds headers that keep pages to themselves', async () => {
    const page = await house.call('GET', '/console/');
    assert.match(page.headers.get('content-security-policy')!, /default-src 'self'.*frame-ancestors 'none'/);
    assert.ok(!/script-src[^;]*unsafe/.test(page.headers.get('content-security-policy')!));
    assert.equal(page.headers.get('referrer-policy'), 'no-referrer');
    assert.equal(page.headers.get('x-content-type-options'), 'nosniff');
    const data = await house.call('GET', '/api/v1/reports/quay-punctuality/view', { as: manager });
    assert.equal(data.headers.get('cache-control'), 'private, no-cache');
    assert.match(data.headers.get('vary')!, /Authorization, Cookie/);
    assert.equal((await house.call('GET', '/api/v1/session')).headers.get('cache-control'), 'no-store');
    assert.equal(data.headers.get('access-control-allow-origin'), null);
  });

  it('is told which methods there are', async () => {
    const wrong = await house.call('DELETE', '/api/v1/reports', { as: publisher });
    assert.ok(wrong.status >= 400 && wrong.body.code !== 'INTERNAL', wrong.text);
    assert.equal((await raw('/api/v1/reports', 'TRACE')).status >= 400, true);
  });

  it('gets the same view compressed or not', async () => {
    const plain = await house.call('GET', '/api/v1/reports/quay-punctuality/view', {
      as: manager,
      headers: { 'Accept-Encoding': 'identity' },
    });
    const packed = await house.call('GET', '/api/v1/reports/quay-punctuality/view', {
      as: manager,
      headers: { 'Accept-Encoding': 'gzip' },
    });
    assert.deepEqual(packed.body, plain.body);
  });

  it('cannot point a source at what is not for data, nor at the records of the service', async () => {
    const own = house.app.settings.databaseUrl;
    for (const url of [
      'postgres://a:b@169.254.169.254/x',
      'postgres://a:b@[fe80::1]/x',
      'postgres://a:b@[::ffff:169.254.169.254]/x',
      'postgres://a:b@0.0.0.0/x',
      'postgres://a:b@127.0.0.1/x?host=169.254.169.254',
      'postgres://a:b@127.0.0.1/x?options=-c%20x',
      own,
    ]) {
      const answer = await house.call('PUT', '/api/v1/sources/inner', { as: publisher, body: { url } });
      assert.equal(answer.body.code, 'ADDRESS_FORBIDDEN', url);
      assert.ok(!answer.text.includes(new URL(own).password), 'no password in an answer');
    }
    for (const url of ['http://127.0.0.1/', 'file:///etc/passwd', 'postgres:', 'javascript:1'])
      assert.equal(
        (await house.call('PUT', '/api/v1/sources/inner', { as: publisher, body: { url } })).status,
        400,
        url,
      );
  });

  it('cannot put a formula into a CSV file, nor a line into a header', async () => {
    const csv = 'who,amount\n"=HYPERLINK(""http://evil.example"")",1\n+1,2\n@x,3\n-2+3,-4\nplain,5\n';
    const loaded = await house.call('PUT', '/api/v1/datasets/formulas/file?type=who=text', { as: publisher, csv });
    assert.equal(loaded.status, 200, loaded.text);
    const { text } = await house.call('GET', '/api/v1/datasets/formulas/rows?format=csv', { as: publisher });
    assert.deepEqual(text.trim().split('\r\n').slice(1), [
      `"'=HYPERLINK(""http://evil.example"")",1`,
      "'+1,2",
      "'@x,3",
      "'-2+3,-4",
      'plain,5',
    ]);
    const exact = await house.call('GET', '/api/v1/datasets/formulas/rows?format=jsonl', { as: publisher });
    assert.match(exact.text, /"who":"\+1"/);
    for (const path of ['/sign-in/sso?return=%0d%0aSet-Cookie:x=1', '/v/quay-page%0d%0aX-Evil:1']) {
      const answer = await house.call('GET', path);
      assert.equal(answer.headers.get('x-evil'), null);
      assert.doesNotMatch(answer.headers.get('set-cookie') ?? '', /x=1/);
    }
  });

  it('learns nothing by guessing names: what one may not see is not there', async () => {
    for (const [real, other] of [
      ['/api/v1/reports/quay-punctuality', '/api/v1/reports/quay-nothing'],
      ['/api/v1/datasets/sailings', '/api/v1/datasets/nothing'],
      ['/api/v1/datasets/sailings/rows', '/api/v1/datasets/nothing/rows'],
      ['/api/v1/datasets/sailings/values?column=quay_id', '/api/v1/datasets/nothing/values?column=quay_id'],
      ['/api/v1/placements/quay-page/view', '/api/v1/placements/nothing/view'],
      ['/api/v1/permissions?kind=report&name=quay-punctuality', '/api/v1/permissions?kind=report&name=quay-nothing'],
    ] as const) {
      const [a, b] = await Promise.all([
        house.call('GET', real, { as: board }),
        house.call('GET', other, { as: board }),
      ]);
      const nameless = (answer: typeof a) => answer.text.replaceAll(/“[^”]*”|"word":"[^"]*"/g, '');
      assert.deepEqual([a.status, nameless(a)], [404, nameless(b)], real);
    }
    for (const body of [{ report: 'quay-punctuality' }, { report: 'quay-nothing' }, { placement: 'nothing' }]) {
      const answer = await house.call('POST', '/api/v1/access-requests', { as: board, body });
      assert.deepEqual([answer.status, answer.text], [202, '{"isAsked":true}']);
    }
  });

  it('cannot frame the console, and no page tells where a reader came from', async () => {
    for (const path of ['/console', '/console/data/sailings', '/sign-in/window']) {
      const { headers } = await house.call('GET', path);
      assert.match(headers.get('content-security-policy')!, /frame-ancestors 'none'/);
      assert.equal(headers.get('referrer-policy'), 'no-referrer');
    }
    const { headers } = await house.call('GET', '/v/quay-page');
    assert.match(headers.get('content-security-policy')!, /frame-ancestors 'self'( http:\/\/127\.0\.0\.1:\d+)+$/);
    const answer = await house.call('GET', '/api/v1/placements/quay-page/view', { as: manager });
    assert.match(answer.headers.get('cache-control')!, /private/);
    const token = await house.call('POST', '/oauth/token', { form: new URLSearchParams({ grant_type: 'x' }) });
    assert.equal(token.headers.get('cache-control'), 'no-store');
  });

  it('makes no other key out of a key, and takes no token from an address', async () => {
    const key = await house.keyOf(manager);
    const frame = await house.call('POST', '/api/v1/session/frame', { token: key });
    assert.equal(frame.body.code, 'NOT_ALLOWED');
    const byAddress = await house.call('GET', `/api/v1/session?access_token=${key}`);
    assert.ok([400, 401].includes(byAddress.status));
  });

  it('pollutes no parameter: one that comes twice is refused', async () => {
    for (const query of ['page=overview&page=other', 'quay=Q017&quay=Q001', 'where=TRUE&where=FALSE']) {
      const answer = await house.call('GET', `/api/v1/placements/quay-page/view?${query}`, { as: manager });
      assert.equal(answer.status, 400, query);
    }
  });
});
