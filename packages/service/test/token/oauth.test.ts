import assert from 'node:assert/strict';
import { createHash, randomUUID } from 'node:crypto';
import { after, before, describe, it } from 'node:test';
import { exportJWK, generateKeyPair, SignJWT, type JWK } from 'jose';
import { demoPeople } from '@underbell/demo';
import { closeApp } from '../../src/platform/index.ts';
import { openService } from '../../src/service.ts';
import { startWeb, stopWeb } from '../../src/server.ts';
import { House, manager, publisher, type Answer } from '../house.ts';

const administrator = demoPeople.administrator.email;
const exchangeGrant = 'urn:ietf:params:oauth:grant-type:token-exchange';
const accessTokenType = 'urn:ietf:params:oauth:token-type:access_token';
type Issued = { access_token: string; token_type: string; expires_in: number; scope: string; error?: string };

describe('the token endpoints', () => {
  let house: House;
  let clock = 0;
  let secret = '';
  before(async () => {
    house = await House.open({ hasDemo: true, now: () => Date.now() + clock });
    secret = await register('host', { maxLifetimeSeconds: 900, actions: ['view', 'export'] });
  });
  after(() => house.close());

  async function register(id: string, change: object = {}, as = publisher): Promise<string> {
    const answer = await house.call('PUT', `/api/v1/clients/${id}`, {
      as,
      body: { title: 'Host', reports: ['quay-punctuality'], ...change },
    });
    assert.equal(answer.status, 200, answer.text);
    return (answer.body as unknown as { secret?: string }).secret ?? '';
  }
  const basic = (id: string, key: string) => `Basic ${Buffer.from(`${id}:${key}`).toString('base64')}`;
  const ask = (
    fields: Record<string, string>,
    headers: Record<string, string> = { Authorization: basic('host', secret) },
  ) => house.call('POST', '/oauth/token', { form: new URLSearchParams(fields), headers });
  const details = (change: object) => JSON.stringify([{ type: 'report_view', report: 'quay-punctuality', ...change }]);
  const forQuay = (change: object = {}, headers?: Record<string, string>, extra: Record<string, string> = {}) =>
    ask(
      {
        grant_type: 'client_credentials',
        authorization_details: details({ where: { sailings: "quay_id = 'Q017'" }, ...change }),
        ...extra,
      },
      headers,
    );
  const exchange = (token: string, change: object | undefined, headers?: Record<string, string>) =>
    ask(
      {
        grant_type: exchangeGrant,
        subject_token: token,
        subject_token_type: accessTokenType,
        ...(change ? { authorization_details: JSON.stringify([{ type: 'report_view', ...change }]) } : {}),
      },
      headers,
    );
  const issued = (answer: Answer) => answer.body as unknown as Issued;
  const view = (token: string, headers: Record<string, string> = {}, query = '') =>
    house.call('GET', `/api/v1/placements/quay-page/view${query}`, { token, headers });
  const claimsOf = (token: string) =>
    JSON.parse(Buffer.from(token.split('.')[1]!, 'base64url').toString()) as { jti: string; exp: number };

  it('take a secret in the form or the header, but not in both, and read base64 strictly', async () => {
    assert.equal((await forQuay()).status, 200);
    const fields = { client_id: 'host', client_secret: secret };
    assert.equal((await forQuay({}, {}, fields)).status, 200);
    const both = await forQuay({}, { Authorization: basic('host', secret) }, fields);
    assert.equal(issued(both).error, 'invalid_client');
    const loose = await forQuay({}, { Authorization: `${basic('host', secret)}=` });
    assert.equal(issued(loose).error, 'invalid_client');
    for (const header of ['Basic ', 'Basic Og==', 'Bearer x', `Basic ${Buffer.from('host:%zz').toString('base64')}`])
      assert.equal((await forQuay({}, { Authorization: header })).status, 401, header);
  });

  it('narrow a token by an exchange, again and again, never past its end', async () => {
    const first = issued(await forQuay({ actions: ['view', 'export'] }));
    clock += 100_000;
    const second = await exchange(first.access_token, {
      actions: ['view'],
      where: { sailings: 'NOT cancelled OR TRUE' },
    });
    assert.equal(second.status, 200, second.text);
    assert.equal(issued(second).scope, 'view');
    assert.ok(claimsOf(issued(second).access_token).exp <= claimsOf(first.access_token).exp);
    const third = await exchange(issued(second).access_token, { where: { sailings: 'NOT cancelled' } });
    const shown = await view(issued(third).access_token);
    assert.equal(shown.status, 200, shown.text);
    assert.match(shown.text, /quay is Q017/);
    let token = issued(third).access_token;
    for (let i = 0; i < 12; i++) {
      const next = await exchange(token, undefined);
      if (next.status !== 200) {
        assert.match(next.text, /8 times in a row/);
        assert.ok(i < 10);
        return;
      }
      token = issued(next).access_token;
    }
    assert.fail('a chain without end');
  });

  it('refuse an exchange that widens, with the reason', async () => {
    const narrow = issued(await forQuay({ parameters: { month: '2026-10-01' } })).access_token;
    for (const [change, why] of [
      [{ actions: ['export'] }, /does not include the action “export”/],
      [{ parameters: { month: '2026-09-01' } }, /fixes “month”/],
      [{ person: manager }, /no person/],
      [{ report: 'other' }, /another report/],
    ] as const) {
      const answer = await exchange(narrow, change);
      assert.deepEqual([answer.status, answer.body.code], [400, 'TOKEN_WIDENS'], answer.text);
      assert.match(answer.text, why);
    }
    const out = await exchange(narrow, { where: { sailings: 'TRUE) OR (TRUE' } });
    assert.equal(out.body.code, 'FILTER_SYNTAX');
  });

  it('end a whole chain when its root is revoked', async () => {
    const root = issued(await forQuay()).access_token;
    const child = issued(await exchange(root, {})).access_token;
    const grandchild = issued(await exchange(child, {})).access_token;
    const other = issued(await forQuay()).access_token;
    await house.call('POST', '/oauth/revoke', {
      form: new URLSearchParams({ token: root }),
      headers: { Authorization: basic('host', secret) },
    });
    for (const token of [root, child, grandchild]) assert.equal((await view(token)).body.code, 'TOKEN_REVOKED');
    assert.equal((await view(other)).status, 200);
    assert.equal(issued(await exchange(child, {})).error, 'invalid_grant');
  });

  it('stop on another process within a second', async () => {
    const { settings, log } = house.app;
    const second = openService({ ...settings, port: 0 }, log);
    const server = await startWeb(second);
    try {
      const { port } = server.address() as { port: number };
      const token = issued(await forQuay()).access_token;
      const there = () =>
        fetch(`http://127.0.0.1:${port}/api/v1/placements/quay-page/view`, {
          headers: { Authorization: `Bearer ${token}` },
        });
      assert.equal((await there()).status, 200);
      await house.call('DELETE', `/api/v1/tokens/${claimsOf(token).jti}`, { as: publisher });
      assert.equal((await there()).status, 401);
    } finally {
      await stopWeb(server);
      await closeApp(second);
    }
  });

  it('do not exchange, revoke or describe the token of another client', async () => {
    const otherSecret = await register('other-host');
    const headers = { Authorization: basic('other-host', otherSecret) };
    const token = issued(await forQuay()).access_token;
    assert.equal(issued(await exchange(token, {}, headers)).error, 'invalid_grant');
    const described = await house.call('POST', '/oauth/introspect', { form: new URLSearchParams({ token }), headers });
    assert.deepEqual(described.body, { active: false });
    await house.call('POST', '/oauth/revoke', { form: new URLSearchParams({ token }), headers });
    assert.equal((await view(token)).status, 200);
  });

  it('hold a client to its audience, scope and lifetime', async () => {
    assert.equal(issued(await forQuay({}, undefined, { audience: 'https://else.example' })).error, 'invalid_target');
    assert.equal(issued(await forQuay({}, undefined, { scope: 'admin' })).error, 'invalid_scope');
    const both = issued(await forQuay({ actions: ['view', 'export'] }, undefined, { scope: 'view' }));
    assert.equal(both.scope, 'view');
    await register('short', { maxLifetimeSeconds: 30 }).then(async (key) => {
      const answer = await forQuay({}, { Authorization: basic('short', key) });
      assert.equal(issued(answer).expires_in, 30);
    });
  });

  it('hold a client to the keys that it must fix, and to its pages', async () => {
    const key = await register('careful', { mustFilter: ['quay'], mayNamePersons: true }, administrator);
    const headers = { Authorization: basic('careful', key) };
    const named = await ask(
      { grant_type: 'client_credentials', authorization_details: details({ person: manager }) },
      headers,
    );
    assert.equal(named.body.code, 'TOKEN_NEEDS_FILTER');
    assert.equal((await forQuay({}, headers)).status, 200);
    const byParameter = details({ person: manager, parameters: { quay: 'Q017' } });
    assert.equal(
      (await ask({ grant_type: 'client_credentials', authorization_details: byParameter }, headers)).status,
      200,
    );
    const wrong = await house.call('PUT', '/api/v1/clients/x', {
      as: publisher,
      body: { title: 'X', reports: ['quay-punctuality'], mustFilter: ['quai'] },
    });
    assert.deepEqual([wrong.body.code, wrong.body.nearest], ['INPUT_INVALID', ['quay']]);
    const placed = await register('placed', { origins: ['https://portal.example'] });
    const token = issued(await forQuay({}, { Authorization: basic('placed', placed) })).access_token;
    // What a caller says of the page around it counts for nothing; which pages may show the placement does.
    assert.equal((await view(token)).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await view(token, { 'Underbell-Host': 'https://portal.example' })).body.code, 'TOKEN_SCOPE_EXCEEDED');
    const allowed = await register('allowed', { origins: [house.portalUrl, 'https://portal.example'] });
    const inside = issued(await forQuay({}, { Authorization: basic('allowed', allowed) })).access_token;
    assert.equal((await view(inside)).status, 200);
  });

  it('take a placement for a report, with the host’s record behind its filter', async () => {
    const saved = await house.call('PUT', '/api/v1/placements/quay-record', {
      as: publisher,
      body: {
        kind: 'app',
        title: 'Quay',
        report: 'quay-punctuality',
        where: { sailings: { op: '=', args: [{ property: 'quay_id' }, { op: 'record', args: ['quay_id'] }] } },
      },
    });
    assert.equal(saved.status, 200, saved.text);
    const asked = (context: object) =>
      ask({
        grant_type: 'client_credentials',
        authorization_details: JSON.stringify([{ type: 'report_view', placement: 'quay-record', context }]),
      });
    assert.equal((await asked({})).body.code, 'RECORD_INCOMPLETE');
    const token = issued(await asked({ quay_id: "Q017' OR TRUE OR '" })).access_token;
    const none = await house.call('GET', '/api/v1/placements/quay-record/view', { token });
    assert.match(none.text, /"rows":\[\]/);
    const good = issued(await asked({ quay_id: 'Q017' })).access_token;
    const shown = await house.call('GET', '/api/v1/placements/quay-record/view', { token: good });
    assert.match(shown.text, /quay is Q017/);
    assert.equal((await view(good)).body.code, 'TOKEN_SCOPE_EXCEEDED');
  });

  describe('with a key of the client’s own', () => {
    let privateKey: CryptoKey;
    let jwk: JWK;
    before(async () => {
      const pair = await generateKeyPair('ES256', { extractable: true });
      privateKey = pair.privateKey as CryptoKey;
      jwk = { ...(await exportJWK(pair.publicKey)), alg: 'ES256' };
      await register('keyed', { publicKeys: { keys: [jwk] }, requiresProof: true });
    });
    const now = () => Math.floor((Date.now() + clock) / 1000);
    const assertion = (change: object = {}, lifetime = 60) =>
      new SignJWT({
        iss: 'keyed',
        sub: 'keyed',
        aud: house.url,
        jti: randomUUID(),
        iat: now(),
        exp: now() + lifetime,
        ...change,
      })
        .setProtectedHeader({ alg: 'ES256' })
        .sign(privateKey);
    const proof = (method: string, path: string, change: object = {}, token?: string) =>
      new SignJWT({
        jti: randomUUID(),
        htm: method,
        htu: `${house.url}${path}`,
        iat: now(),
        ...(token ? { ath: createHash('sha256').update(token).digest('base64url') } : {}),
        ...change,
      })
        .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk })
        .sign(privateKey);
    const askSigned = async (made: string, dpop?: string) =>
      forQuay({}, dpop ? { DPoP: dpop } : {}, {
        client_assertion: made,
        client_assertion_type: 'urn:ietf:params:oauth:client-assertion-type:jwt-bearer',
      });

    it('take an assertion once, for this service, by its own key', async () => {
      const made = await assertion();
      const answer = await askSigned(made, await proof('POST', '/oauth/token'));
      assert.deepEqual([answer.status, issued(answer).token_type], [200, 'DPoP'], answer.text);
      assert.equal(issued(await askSigned(made, await proof('POST', '/oauth/token'))).error, 'invalid_client');
      for (const bad of [
        await assertion({ aud: 'https://else.example' }),
        await assertion({ sub: 'host' }),
        await assertion({}, -60),
        await assertion({}, 3600),
        `${made.split('.').slice(0, 2).join('.')}.`,
      ])
        assert.equal(issued(await askSigned(bad, await proof('POST', '/oauth/token'))).error, 'invalid_client');
      const byOther = await generateKeyPair('ES256');
      const foreign = await new SignJWT({ iss: 'keyed', sub: 'keyed', aud: house.url, jti: 'x', exp: now() + 60 })
        .setProtectedHeader({ alg: 'ES256' })
        .sign(byOther.privateKey);
      assert.equal(issued(await askSigned(foreign, await proof('POST', '/oauth/token'))).error, 'invalid_client');
    });

    it('bind its tokens to its key', async () => {
      assert.equal(issued(await askSigned(await assertion())).error, 'invalid_dpop_proof');
      const token = issued(await askSigned(await assertion(), await proof('POST', '/oauth/token'))).access_token;
      const path = '/api/v1/placements/quay-page/view';
      const use = (dpop: string, scheme = 'DPoP') =>
        house.call('GET', path, { headers: { Authorization: `${scheme} ${token}`, DPoP: dpop } });
      const good = await proof('GET', path, {}, token);
      assert.equal((await use(good)).status, 200);
      assert.equal((await use(good)).body.code, 'PROOF_INVALID', 'a proof counts once');
      for (const [bad, what] of [
        [await proof('POST', path, {}, token), 'another method'],
        [await proof('GET', '/api/v1/session', {}, token), 'another address'],
        [await proof('GET', path), 'no token'],
        [await proof('GET', path, { iat: now() - 600 }, token), 'old'],
        ['x.y.z', 'none'],
      ] as const)
        assert.equal((await use(bad)).body.code, 'PROOF_INVALID', what);
      assert.equal((await use(await proof('GET', path, {}, token), 'Bearer')).body.code, 'TOKEN_INVALID');
      assert.equal((await view(token)).body.code, 'TOKEN_INVALID');
    });
  });

  it('sign with a new key after a rotation, and go on taking the old ones for a day', async () => {
    const before = issued(await forQuay()).access_token;
    const made = await house.call('POST', '/api/v1/signing-keys', { as: administrator, body: { algorithm: 'EdDSA' } });
    assert.equal(made.status, 201, made.text);
    const published = (await house.call('GET', '/oauth/keys')).body as unknown as {
      keys: { kid: string; d?: string }[];
    };
    assert.equal(published.keys.length, 2);
    assert.ok(published.keys.every((key) => key.d === undefined));
    const header = (token: string) =>
      JSON.parse(Buffer.from(token.split('.')[0]!, 'base64url').toString()) as { alg: string; kid: string };
    // Published first, used a minute later: whoever keeps the key set has it by then.
    assert.equal(header(issued(await forQuay()).access_token).alg, 'ES256');
    clock += 61_000;
    await new Promise((resolve) => setTimeout(resolve, 520));
    const later = issued(await forQuay()).access_token;
    assert.equal(header(later).alg, 'EdDSA');
    for (const token of [before, later]) assert.equal((await view(token)).status, 200);
    await house.call('DELETE', `/api/v1/signing-keys/${header(before).kid}`, { as: administrator });
    assert.equal((await view(before)).body.code, 'TOKEN_INVALID');
    assert.equal((await view(later)).status, 200);
    const byOther = await house.call('POST', '/api/v1/signing-keys', { as: publisher, body: {} });
    assert.equal(byOther.body.code, 'NOT_ALLOWED');
  });

  it('count failures of a client over all processes, and answer too many with 429', async () => {
    let answer: Answer | undefined;
    for (let i = 0; i < 31; i++) answer = await forQuay({}, { Authorization: basic('guessed', `x${i}`) });
    assert.equal(answer!.status, 429, answer!.text);
    assert.equal((await forQuay()).status, 200, 'others are not held up');
  });

  it('speak as the standards want: what is unknown is ignored, what is empty left out, what is wrong told in their words', async () => {
    const good = {
      grant_type: 'client_credentials',
      authorization_details: details({ where: { sailings: "quay_id = 'Q017'" } }),
    };
    const lenient = await ask({
      ...good,
      unknown_parameter: 'x',
      resource: '',
      audience: '',
      scope: '',
      client_id: '',
    });
    assert.equal(lenient.status, 200, lenient.text);
    const { access_token: token } = issued(lenient);
    const wrong: readonly [string, URLSearchParams | string, string, string][] = [
      [
        '/oauth/token',
        new URLSearchParams({ ...good, grant_type: 'x'.repeat(200) }),
        'application/x-www-form-urlencoded',
        'invalid_request',
      ],
      [
        '/oauth/token',
        `grant_type=client_credentials&grant_type=client_credentials`,
        'application/x-www-form-urlencoded',
        'invalid_request',
      ],
      [
        '/oauth/token',
        new URLSearchParams({ grant_type: '' }),
        'application/x-www-form-urlencoded',
        'unsupported_grant_type',
      ],
      ['/oauth/token', '{"grant_type":', 'application/json', 'invalid_request'],
      [
        '/oauth/revoke',
        new URLSearchParams({ token: 'x'.repeat(200_000) }),
        'application/x-www-form-urlencoded',
        'invalid_request',
      ],
      ['/oauth/introspect', `token=a&token=b`, 'application/x-www-form-urlencoded', 'invalid_request'],
      [
        '/oauth/device_authorization',
        `client_id=${'x'.repeat(100)}`,
        'application/x-www-form-urlencoded',
        'invalid_request',
      ],
    ];
    for (const [path, body, type, error] of wrong) {
      const answer = await fetch(`${house.url}${path}`, {
        method: 'POST',
        headers: { Authorization: basic('host', secret), 'Content-Type': type },
        body,
      });
      const found = (await answer.json()) as { error?: string; error_description?: string };
      assert.deepEqual(
        [answer.status, found.error],
        [400, error],
        `${path} ${String(body).slice(0, 60)} ${JSON.stringify(found)}`,
      );
      assert.ok(found.error_description);
      assert.equal(answer.headers.get('cache-control'), 'no-store');
    }
    const stranger = await house.call('POST', '/oauth/introspect', { form: new URLSearchParams({ token }) });
    assert.deepEqual([stranger.status, (stranger.body as { error?: string }).error], [401, 'invalid_client']);
    assert.match(stranger.headers.get('www-authenticate')!, /^Basic /);
    const gone = await house.call('POST', '/oauth/revoke', {
      form: new URLSearchParams({ token, token_type_hint: 'access_token', unknown: 'x' }),
      headers: { Authorization: basic('host', secret) },
    });
    assert.equal(gone.status, 200, gone.text);
    const challenge = async (headers: Record<string, string>) =>
      (await house.call('GET', '/api/v1/placements/quay-page/view', { headers })).headers.get('www-authenticate');
    assert.match(
      (await challenge({ Authorization: `Bearer ${token}` }))!,
      /^Bearer error="invalid_token", error_description="[^"]+"$/,
    );
    assert.match((await challenge({ Authorization: `DPoP ${token}` }))!, /^DPoP error="invalid_(token|dpop_proof)"/);
    assert.equal(await challenge({}), 'Bearer');
  });
});
