import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { after, before, describe, it } from 'node:test';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';
import { Directory } from '../../../standins/src/index.ts';
import { Browser } from '../directory/browser.ts';
import { ownPorts } from '../ports.ts';
import { author, owner, root, rowsOf, SmallHouse } from '../smallHouse.ts';

const secret = 'a-secret-of-the-client-that-is-long';
const programs = ['works-app', 'other-app'].map((id) => ({ id, secret, backTo: `http://127.0.0.1:9/${id}/back` }));
const ines = 'ines@skerrow.example';

describe('an ID token of the common directory', () => {
  let small: SmallHouse;
  let directory: Directory;
  let basic: string;
  before(async () => {
    const port = await ownPorts();
    small = await SmallHouse.open({
      environment: {
        UNDERBELL_OIDC_ISSUER: `http://127.0.0.1:${port}`,
        UNDERBELL_OIDC_CLIENT_ID: 'underbell',
        UNDERBELL_OIDC_CLIENT_SECRET: secret,
      },
    });
    const { house } = small;
    const quay = [{ name: 'quay', value: 'Q2' }];
    directory = new Directory({
      port,
      serviceUrl: house.url,
      clientId: 'underbell',
      clientSecret: secret,
      scimToken: house.app.settings.scimToken!,
      people: [
        { id: 'd-1', name: 'Ines Holt', email: ines, attributes: quay },
        { id: 'd-2', name: 'Tobias Wren', email: 'tobias@skerrow.example', attributes: [] },
      ],
      groups: [],
      programs,
    });
    await directory.start();
    await directory.pushAll();
    const holder = { kind: 'person', name: ines };
    await small.fine(
      'PUT',
      '/api/v1/permissions',
      { holder, thing: { kind: 'report', name: 'works' }, level: 'view' },
      author,
    );
    const body = { id: 'works-app', title: 'Works app', reports: ['works'], directoryId: 'works-app' };
    const made = (await small.fine('POST', '/api/v1/clients', body, owner)).body as unknown as { secret: string };
    basic = `Basic ${Buffer.from(`works-app:${made.secret}`).toString('base64')}`;
  });
  after(async () => {
    await directory.stop();
    await small.close();
  });

  /** What the directory gives a program of somebody who signs in there: by its own protocol, with PKCE. */
  async function signIn(person: string, program = 'works-app'): Promise<{ id_token: string; access_token: string }> {
    const { backTo } = programs.find((one) => one.id === program)!;
    const browser = new Browser();
    const verifier = 'v'.repeat(50);
    const search = new URLSearchParams({
      client_id: program,
      redirect_uri: backTo,
      response_type: 'code',
      scope: 'openid email profile',
      code_challenge: createHash('sha256').update(verifier).digest('base64url'),
      code_challenge_method: 'S256',
    });
    const interaction = await browser.follow(`${directory.issuer}/auth?${search}`, /\/interaction\//);
    const chosen = await browser.go('POST', `${interaction}/${person}`);
    const back = await browser.follow(new URL(chosen.headers.get('location')!, interaction).href, /\/back\?/);
    const answer = await fetch(`${directory.issuer}/token`, {
      method: 'POST',
      headers: { Authorization: `Basic ${Buffer.from(`${program}:${secret}`).toString('base64')}` },
      body: new URLSearchParams({
        grant_type: 'authorization_code',
        code: new URL(back).searchParams.get('code')!,
        redirect_uri: backTo,
        code_verifier: verifier,
      }),
    });
    return (await answer.json()) as { id_token: string; access_token: string };
  }

  const exchange = (token: string, details: object = {}, authorization = basic) =>
    small.house.call('POST', '/oauth/token', {
      headers: { Authorization: authorization },
      form: new URLSearchParams({
        grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
        subject_token: token,
        subject_token_type: 'urn:ietf:params:oauth:token-type:id_token',
        authorization_details: JSON.stringify([{ type: 'report_view', report: 'works', ...details }]),
      }),
    });
  const codeOf = async (token: string, details: object = {}) => (await exchange(token, details)).body.code;

  it('is exchanged for a token of its person, whose rules apply, by a program that may name nobody', async () => {
    const { id_token: token } = await signIn('d-1');
    const given = await exchange(token);
    assert.equal(given.status, 200, given.text);
    assert.equal(given.body['issued_token_type'], 'urn:ietf:params:oauth:token-type:access_token');
    const key = given.body['access_token'] as unknown as string;
    const seen = await small.house.call('GET', '/api/v1/reports/works/view', { token: key });
    if (seen.status === 200) assert.deepEqual([...new Set(rowsOf(seen, 'rows').map((row) => row[1]))], ['Q2']);
    assert.equal((given.body['authorization_details'] as unknown as { person: string }[])[0]!.person, ines);
    const where = { works: "quay = 'Q1'" };
    const narrowed = (await exchange(token, { where })).body['access_token'] as unknown as string;
    await small.fine('PUT', '/api/v1/placements/app', { kind: 'app', title: 'App', report: 'works' }, owner);
    const none = await small.house.call('GET', '/api/v1/placements/app/view', { token: narrowed });
    assert.deepEqual(rowsOf(none, 'rows'), [], 'a record of another quay is not theirs');
    const own = await small.house.call('GET', '/api/v1/placements/app/view', { token: key });
    assert.deepEqual([...new Set(rowsOf(own, 'rows').map((row) => row[1]))], ['Q2']);
  });

  it('speaks for nobody but its person', async () => {
    const { id_token: token } = await signIn('d-1');
    assert.equal(await codeOf(token, { person: 'reader@skerrow.example' }), 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await exchange(token, { person: ines })).status, 200);
  });

  it('counts for the program alone that it was given to, and only as what it is', async () => {
    const other = await signIn('d-1', 'other-app');
    assert.equal(await codeOf(other.id_token), 'TOKEN_INVALID', 'of another program');
    const { id_token: token, access_token: opaque } = await signIn('d-1');
    assert.equal(await codeOf(opaque), 'TOKEN_INVALID', 'an access token is none');
    const [head, body, signature] = token.split('.') as [string, string, string];
    const none = Buffer.from(JSON.stringify({ alg: 'none' })).toString('base64url');
    const claims = JSON.parse(Buffer.from(body, 'base64url').toString()) as Record<string, unknown>;
    const changed = Buffer.from(JSON.stringify({ ...claims, sub: 'd-2' })).toString('base64url');
    const { privateKey, publicKey } = await generateKeyPair('RS256');
    const sign = (alg: string, key: Parameters<SignJWT['sign']>[0], header: object = {}) =>
      new SignJWT(claims).setProtectedHeader({ alg, ...header }).sign(key);
    const forged = [
      `${none}.${body}.`,
      `${head}.${changed}.${signature}`,
      `${head}.${body}.${signature.slice(0, -6)}`,
      await sign('HS256', new TextEncoder().encode(secret)),
      await sign('RS256', privateKey),
      await sign('RS256', privateKey, { jwk: await exportJWK(publicKey) }),
      await sign('RS256', privateKey, { jku: 'http://127.0.0.1:9/keys' }),
      'nonsense',
    ];
    for (const one of forged) assert.equal(await codeOf(one), 'TOKEN_INVALID', one.slice(0, 60));
  });

  it('is exchanged by programs alone that say how the directory knows them', async () => {
    const { id_token: token } = await signIn('d-1');
    const made = (
      await small.fine('POST', '/api/v1/clients', { id: 'plain', title: 'Plain', reports: ['works'] }, owner)
    ).body as unknown as { secret: string };
    const authorization = `Basic ${Buffer.from(`plain:${made.secret}`).toString('base64')}`;
    assert.equal((await exchange(token, {}, authorization)).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await exchange(token, {}, 'Basic d29ya3MtYXBwOng=')).status, 401);
  });

  it('opens nothing for who has left, and what was given for it ends at once', async () => {
    const { id_token: token } = await signIn('d-1');
    const key = (await exchange(token)).body['access_token'] as unknown as string;
    await directory.setActive(ines, false);
    assert.ok(['TOKEN_INVALID', 'SSO_REJECTED'].includes(String(await codeOf(token))));
    assert.equal(
      (await small.house.call('GET', '/api/v1/placements/app/view', { token: key })).body.code,
      'TOKEN_REVOKED',
    );
    await directory.setActive(ines, true);
    const trail = await small.house.call('GET', '/api/v1/audit-log', { as: root });
    assert.ok(!trail.text.includes(token.slice(0, 40)), 'no token is written down');
  });
});
