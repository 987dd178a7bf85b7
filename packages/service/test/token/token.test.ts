import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { board, House, manager, publisher, type Answer } from '../house.ts';

type Results = Record<string, { rows: (string | number | null)[][] }>;

describe('access tokens and what they reach', () => {
  let house: House;
  let clock = 0;
  before(async () => {
    house = await House.open({ hasDemo: true, now: () => Date.now() + clock });
  });
  after(() => house.close());

  const basic = (id: string, secret: string) => ({
    Authorization: `Basic ${Buffer.from(`${id}:${secret}`).toString('base64')}`,
  });
  async function askToken(details: object, change: { secret?: string; grant?: string } = {}): Promise<Answer> {
    const { clientId, clientSecret } = house.portalSetup;
    const form = new URLSearchParams({
      grant_type: change.grant ?? 'client_credentials',
      authorization_details: JSON.stringify([{ type: 'report_view', report: 'quay-punctuality', ...details }]),
    });
    const answer = await fetch(`${house.url}/oauth/token`, {
      method: 'POST',
      headers: basic(clientId, change.secret ?? clientSecret),
      body: form,
    });
    const text = await answer.text();
    return { status: answer.status, headers: answer.headers, text, body: JSON.parse(text) as never };
  }
  const forQuay = async (quay: string) =>
    ((await askToken({ where: { sailings: `quay_id = '${quay}'` } })).body as unknown as { access_token: string })
      .access_token;
  const view = (token: string | undefined, query = '') =>
    house.call('GET', `/api/v1/placements/quay-page/view${query}`, token ? { token } : {});
  const sailingsIn = (answer: Answer) =>
    (answer.body as unknown as { results: Results }).results['on-time']!.rows[0]![1];
  const countOf = async (quay: string) =>
    (
      (
        await house.call('GET', `/api/v1/datasets/sailings/count?where=${encodeURIComponent(`quay_id = '${quay}'`)}`, {
          as: publisher,
        })
      ).body as unknown as { rows: number }
    ).rows;

  it('show exactly the rows of their filter', async () => {
    const answer = await view(await forQuay('Q017'));
    assert.equal(answer.status, 200, answer.text);
    assert.equal(sailingsIn(answer), await countOf('Q017'));
    assert.match(answer.text, /quay is Q017/);
  });

  it('cannot reach another quay by anything a reader can send', async () => {
    const token = await forQuay('Q017');
    const expected = await countOf('Q017');
    assert.ok(expected > 0 && expected < 6_000);
    const tries = [
      "?where=TRUE OR quay_id = 'Q001'",
      "?where=quay_id = 'Q001' OR TRUE",
      '?where=1 = 1) OR (TRUE',
      '?where=TRUE) --',
      "?where=quay_id <> 'Q017'",
      '?quay=Q001',
      '?quay=Q017&quay=Q001',
      '?choose=by-route:x',
      '?page=overview&page=other',
      '?where=quay_id IN (SELECT quay_id FROM data.x)',
      '?where=',
      '?Quay=Q001',
      '?filter=x',
      '?where[]=TRUE',
      '?choose=by-vessel:Q001',
      '?where=pg_sleep(1) IS NULL',
      "?where=quay_id = person('quay')",
      "?where=quay_id = ''' OR TRUE --'",
      '?parameters[quay]=Q001',
      "?where=district = 'Outer Skerrow'",
    ];
    for (const query of tries) {
      const encoded = query.replace(
        /=(.*)$/s,
        (_, value: string) => `=${encodeURIComponent(value).replaceAll('%3D', '=').replaceAll('%26', '&')}`,
      );
      const answer = await view(token, encoded);
      if (answer.status === 200) {
        const found = sailingsIn(answer) as number;
        assert.ok(found <= expected, `${query} gave ${found} rows of ${expected}`);
        const names = JSON.stringify((answer.body as unknown as { results: Results }).results);
        assert.ok(!/Q0(?!17)\d\d/.test(names), query);
      } else {
        assert.ok([400, 403].includes(answer.status), `${query}: ${answer.status}`);
        assert.ok(answer.body.code !== 'INTERNAL', answer.text);
      }
    }
  });

  it('narrow with what a reader picks', async () => {
    const token = await forQuay('Q017');
    const all = (await view(token)).body as unknown as { results: Results };
    const [route] = all.results['by-route']!.rows[0]!;
    const picked = await view(token, `?choose=${encodeURIComponent(`by-route:${route}`)}`);
    const results = (picked.body as unknown as { results: Results }).results;
    assert.ok((results['on-time']!.rows[0]![1] as number) < (all.results['on-time']!.rows[0]![1] as number));
    assert.deepEqual(results['by-route']!.rows, all.results['by-route']!.rows);
  });

  it('answer an unchanged view with 304', async () => {
    const token = await forQuay('Q017');
    const tag = (await view(token)).headers.get('etag')!;
    const same = await house.call('GET', '/api/v1/placements/quay-page/view', {
      token,
      headers: { 'If-None-Match': tag },
    });
    assert.equal(same.status, 304);
    const other = await house.call('GET', '/api/v1/placements/quay-page/view', {
      token: await forQuay('Q018'),
      headers: { 'If-None-Match': tag },
    });
    assert.equal(other.status, 200);
  });

  it('answer anew when anything on the page is another, though no figure is', async () => {
    const where = { sailings: "quay_id = 'Q017'" };
    const of = async (details: object) =>
      ((await askToken({ where, ...details })).body as unknown as { access_token: string }).access_token;
    const whole = await of({});
    const tag = (await view(whole)).headers.get('etag')!;
    const again = (token: string) =>
      house.call('GET', '/api/v1/placements/quay-page/view', { token, headers: { 'If-None-Match': tag } });
    const { report, page } = (await view(whole)).body as unknown as { report: string; page: { name: string } };
    assert.ok(report, 'the view names its report');
    const narrow = await again(await of({ pages: [page.name] }));
    assert.equal(narrow.status, 200, 'a token for some pages shows no way to the others');
    assert.equal((await again(whole)).status, 304);
    const { placements } = (await house.call('GET', '/api/v1/placements', { as: publisher })).body as unknown as {
      placements: { name: string; title: string; kind: string; report: string; origins: string[] }[];
    };
    const placed = placements.find((one) => one.name === 'quay-page')!;
    const save = async (title: string) => {
      const { kind, report: name, origins } = placed;
      const put = await house.call('PUT', '/api/v1/placements/quay-page', {
        as: publisher,
        body: { kind, title, report: name, origins },
      });
      assert.equal(put.status, 200, put.text);
    };
    await save('Another title');
    const renamed = await again(whole);
    assert.equal(renamed.status, 200);
    assert.match(renamed.text, /Another title/);
    await save(placed.title);
    assert.equal((await again(whole)).status, 304, 'nothing has changed after all');
  });

  it('are refused without a filter on ruled data, or with one that leaves it open', async () => {
    for (const where of [
      undefined,
      {},
      { sailings: 'TRUE' },
      { sailings: "quay_id = 'Q017' OR TRUE" },
      { sailings: "quay_id LIKE '%'" },
    ]) {
      const { status, body } = await askToken({ where });
      assert.deepEqual([status, body.code], [400, 'TOKEN_NEEDS_FILTER'], JSON.stringify(where));
    }
    assert.equal((await askToken({ where: { sailings: "Quay_id = 'Q017'" } })).body.code, 'FILTER_UNKNOWN_COLUMN');
    assert.equal(
      (await askToken({ where: { Sailings: "quay_id = 'Q017'", sailings: "quay_id = 'Q017'" } })).body.code,
      'INPUT_INVALID',
    );
  });

  it('are refused for another report, another grant type, a wrong secret or unknown members', async () => {
    const where = { sailings: "quay_id = 'Q017'" };
    assert.equal((await askToken({ where, report: 'takings' })).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await askToken({ where, actions: ['export'] })).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await askToken({ where, person: manager })).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await askToken({ where, pages: ['Overview'] })).body.code, 'PAGE_UNKNOWN');
    assert.equal((await askToken({ where, everything: true })).body.code, 'INPUT_INVALID');
    assert.deepEqual((await askToken({ where }, { grant: 'password' })).body['error'], 'unsupported_grant_type');
    const wrong = await askToken({ where }, { secret: 'guess' });
    assert.deepEqual([wrong.status, wrong.body['error']], [401, 'invalid_client']);
  });

  it('expire, and are refused when changed, signed with nothing, or for another report', async () => {
    const token = await forQuay('Q017');
    const [header, claims, signature] = token.split('.') as [string, string, string];
    const changed = JSON.parse(Buffer.from(claims, 'base64url').toString()) as {
      authorization_details: { where: object }[];
    };
    changed.authorization_details[0]!.where = {};
    const forged = Buffer.from(JSON.stringify(changed)).toString('base64url');
    const none = Buffer.from(JSON.stringify({ alg: 'none', typ: 'at+jwt' })).toString('base64url');
    for (const bad of [
      `${header}.${forged}.${signature}`,
      `${none}.${forged}.`,
      `${none}.${claims}.`,
      `${header}.${claims}.`,
      'x',
      'a.b.c',
    ]) {
      const answer = await view(bad);
      assert.deepEqual([answer.status, answer.body.code], [401, 'TOKEN_INVALID'], bad.slice(0, 30));
    }
    clock = 3_600_000;
    const late = await view(token);
    clock = 0;
    assert.deepEqual([late.status, late.body.code], [401, 'TOKEN_EXPIRED']);
  });

  it('stop at once when they are revoked, by client or by owner', async () => {
    const token = await forQuay('Q017');
    const { clientId, clientSecret } = house.portalSetup;
    await fetch(`${house.url}/oauth/revoke`, {
      method: 'POST',
      headers: basic(clientId, clientSecret),
      body: new URLSearchParams({ token }),
    });
    assert.equal((await view(token)).body.code, 'TOKEN_REVOKED');
    const second = await forQuay('Q017');
    const { jti } = JSON.parse(Buffer.from(second.split('.')[1]!, 'base64url').toString()) as { jti: string };
    assert.ok((await house.call('GET', '/api/v1/tokens', { as: publisher })).text.includes(jti));
    assert.equal((await house.call('DELETE', `/api/v1/tokens/${jti}`, { as: publisher })).status, 204);
    assert.equal((await view(second)).body.code, 'TOKEN_REVOKED');
  });

  it('do not open anything but views', async () => {
    const token = await forQuay('Q017');
    for (const path of [
      '/api/v1/reports',
      '/api/v1/datasets/sailings/rows',
      '/api/v1/session',
      '/api/v1/runs',
      '/api/v1/reports/quay-punctuality/view',
    ]) {
      assert.equal((await house.call('GET', path, { token })).status, 401, path);
    }
  });

  it('ask an unknown visitor of the plain link to sign in', async () => {
    assert.deepEqual((await view(undefined)).body.code, 'SIGN_IN_NEEDED');
    assert.deepEqual(
      (await house.call('GET', '/api/v1/placements/no-such-place/view', {})).body.code,
      'SIGN_IN_NEEDED',
    );
    const page = await house.call('GET', '/v/quay-page', { headers: { Referer: `${house.portalUrl}/` } });
    assert.match(
      page.headers.get('content-security-policy')!,
      new RegExp(`frame-ancestors 'self' ${house.portalUrl}(;|$)`),
    );
  });

  it("show a signed-in person that person's own rows", async () => {
    const own = await house.call('GET', '/api/v1/placements/quay-page/view', { as: manager });
    assert.equal(sailingsIn(own), await countOf('Q017'));
    assert.equal((await house.call('GET', '/api/v1/placements/quay-page/view', { as: board })).body.code, 'NOT_FOUND');
  });

  it('publish their keys and metadata, and no private part', async () => {
    const keys = await house.call('GET', '/oauth/keys');
    assert.match(keys.text, /"kty":"EC"/);
    assert.ok(!keys.text.includes('"d"'));
    assert.equal(
      ((await house.call('GET', '/.well-known/oauth-authorization-server')).body as unknown as { issuer: string })
        .issuer,
      house.url,
    );
  });
});
