import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { Directory } from '../../../standins/src/index.ts';
import { sessionCookie } from '../../src/access/index.ts';
import { localPath } from '../../src/directory/signIn.ts';
import { House } from '../house.ts';
import { ownPorts } from '../ports.ts';
import { Browser } from './browser.ts';

const people = [
  { id: 'd-1', name: 'Ines Holt', email: 'ines@skerrow.example', attributes: [{ name: 'district', value: 'North' }] },
  { id: 'd-2', name: 'Tobias Wren', email: 'tobias@skerrow.example', attributes: [] },
];
const administrator = { email: 'first@skerrow.example', password: 'brass lantern over the quay' };

describe('a directory', () => {
  let house: House;
  let directory: Directory;
  before(async () => {
    const port = await ownPorts();
    house = await House.open({
      environment: {
        UNDERBELL_OIDC_ISSUER: `http://127.0.0.1:${port}`,
        UNDERBELL_OIDC_CLIENT_ID: 'underbell',
        UNDERBELL_OIDC_CLIENT_SECRET: 'a-secret-of-the-client-that-is-long',
      },
    });
    directory = new Directory({
      port,
      serviceUrl: house.url,
      clientId: 'underbell',
      clientSecret: 'a-secret-of-the-client-that-is-long',
      scimToken: house.app.settings.scimToken!,
      people,
      groups: [{ name: 'District leads', members: ['ines@skerrow.example'] }],
    });
    await directory.start();
    const { makeSetupCode } = await import('../../src/access/index.ts');
    const code = await makeSetupCode(house.app);
    await house.call('POST', '/api/v1/setup', { body: { code, name: 'First', ...administrator } });
    await house.keyOf(administrator.email, administrator.password);
    await house.call('PUT', '/api/v1/user-attributes/district', {
      as: administrator.email,
      body: { label: 'District', isMany: true },
    });
    await directory.pushAll();
  });
  after(async () => {
    await directory.stop();
    await house.close();
  });

  const everyone = async () => {
    const { body } = await house.call('GET', '/api/v1/users', { as: administrator.email });
    return (
      body as unknown as {
        people: { email: string; state: string; groups: string[]; attributes: object; origin: string }[];
      }
    ).people;
  };
  const scim = (method: string, path: string, body?: object, token = house.app.settings.scimToken!) =>
    house.call(method, `/scim/v2${path}`, { token, body, headers: { 'Content-Type': 'application/scim+json' } });
  const chooseAs = async (browser: Browser, id: string, begin = `${house.url}/sign-in/sso?return=/console/reports`) => {
    const interaction = await browser.follow(begin, /\/interaction\//);
    const answer = await browser.go('POST', `${interaction}/${id}`);
    return browser.follow(new URL(answer.headers.get('location')!, interaction).href, /\/console/);
  };

  it('makes people, groups and attributes known, and changes nothing the second time', async () => {
    const first = await everyone();
    const ines = first.find((one) => one.email === 'ines@skerrow.example')!;
    assert.deepEqual(
      [ines.state, ines.groups, ines.attributes, ines.origin],
      ['active', ['District leads'], { district: ['North'] }, 'directory'],
    );
    await directory.pushAll();
    assert.deepEqual(await everyone(), first);
  });

  it('signs people in with PKCE, state and nonce, and sends them back to a page of this service only', async () => {
    const browser = new Browser();
    assert.equal(await chooseAs(browser, 'd-1'), `${house.url}/console/reports`);
    assert.ok(browser.has(sessionCookie(house.app)));
    const answer = await browser.go('GET', `${house.url}/api/v1/session`);
    assert.equal(((await answer.json()) as { person: { email: string } }).person.email, 'ines@skerrow.example');
    for (const bad of [
      'https://evil.example',
      '//evil.example',
      '/\\evil.example',
      'javascript:alert(1)',
      '/\t/evil.example',
    ])
      assert.equal(localPath(bad), '/console');
    assert.equal(localPath('/v/quay-page?quay=Q001'), '/v/quay-page?quay=Q001');
  });

  it('refuses an answer that another browser began, or that is used twice', async () => {
    const victim = new Browser();
    const attacker = new Browser();
    const interaction = await attacker.follow(`${house.url}/sign-in/sso`, /\/interaction\//);
    const answer = await attacker.go('POST', `${interaction}/d-1`);
    const back = await attacker.follow(
      new URL(answer.headers.get('location')!, interaction).href,
      /\/sign-in\/sso\/callback/,
    );
    assert.match(await victim.follow(back, /\/console/), /refused=/);
    assert.equal(victim.has(sessionCookie(house.app)), false);
    assert.equal(await attacker.follow(back, /\/console/), `${house.url}/console`);
    assert.match(await attacker.follow(back, /\/console/), /refused=/);
  });

  it('does not let an address take over a person who is kept here', async () => {
    const { body } = await scim('POST', '/Users', {
      schemas: [],
      userName: administrator.email,
      displayName: 'Not the first',
    });
    assert.equal((body as unknown as { status: string }).status, '409');
    const other = await scim('GET', `/Users?filter=${encodeURIComponent(`userName eq "${administrator.email}"`)}`);
    assert.equal((other.body as unknown as { totalResults: number }).totalResults, 0);
  });

  it('ends a session at once when somebody leaves', async () => {
    const browser = new Browser();
    await chooseAs(browser, 'd-2');
    assert.equal((await browser.go('GET', `${house.url}/api/v1/session`)).status, 200);
    await directory.setActive('tobias@skerrow.example', false);
    assert.equal((await browser.go('GET', `${house.url}/api/v1/session`)).status, 401);
    assert.equal((await everyone()).find((one) => one.email === 'tobias@skerrow.example')!.state, 'left');
    await directory.setActive('tobias@skerrow.example', true);
    assert.equal((await everyone()).find((one) => one.email === 'tobias@skerrow.example')!.state, 'active');
  });

  it('answers as the standard says, and only to whoever holds the token', async () => {
    assert.equal((await scim('GET', '/Users', undefined, 'guess')).status, 401);
    assert.equal((await scim('GET', '/Users/nobody')).status, 404);
    const config = await scim('GET', '/ServiceProviderConfig');
    assert.equal((config.body as unknown as { patch: { supported: boolean } }).patch.supported, true);
    const bad = await scim('POST', '/Users', { schemas: [], userName: 'not an address' });
    assert.equal(bad.status, 400);
    const wrong = await scim('POST', '/Users', {
      schemas: [],
      userName: 'x@skerrow.example',
      'urn:ietf:params:scim:schemas:extension:underbell:2.0:Attributes': {
        values: [{ name: 'distrct', value: 'North' }],
      },
    });
    assert.match(wrong.text, /no user attribute “distrct”/);
  });

  it('renames a group in everything that names it', async () => {
    const { body } = await scim('GET', `/Groups?filter=${encodeURIComponent('displayName eq "District leads"')}`);
    const { id } = (body as unknown as { Resources: { id: string }[] }).Resources[0]!;
    await house.call('PUT', '/api/v1/folders/north', { as: administrator.email, body: { title: 'North' } });
    const thing = { kind: 'folder', name: 'north' };
    const given = await house.call('PUT', '/api/v1/permissions', {
      as: administrator.email,
      body: { holder: { kind: 'group', name: 'District leads' }, thing, level: 'view' },
    });
    assert.equal(given.status, 200);
    const renamed = await scim('PATCH', `/Groups/${id}`, {
      schemas: ['urn:ietf:params:scim:api:messages:2.0:PatchOp'],
      Operations: [{ op: 'replace', path: 'displayName', value: 'Leads of districts' }],
    });
    assert.equal(renamed.status, 200, renamed.text);
    const grants = await house.call('GET', '/api/v1/permissions?kind=folder&name=north', { as: administrator.email });
    assert.match(grants.text, /Leads of districts/);
  });
});
