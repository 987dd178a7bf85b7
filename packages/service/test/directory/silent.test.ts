import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { Directory } from '../../../standins/src/index.ts';
import { ownPorts } from '../ports.ts';
import { root, SmallHouse } from '../smallHouse.ts';
import { Browser } from './browser.ts';

const secret = 'a-secret-of-the-client-that-is-long';

describe('a sign-in without a word', () => {
  let small: SmallHouse;
  let directory: Directory;
  before(async () => {
    const port = await ownPorts();
    small = await SmallHouse.open({
      environment: {
        UNDERBELL_OIDC_ISSUER: `http://127.0.0.1:${port}`,
        UNDERBELL_OIDC_CLIENT_ID: 'underbell',
        UNDERBELL_OIDC_CLIENT_SECRET: secret,
      },
    });
    directory = new Directory({
      port,
      serviceUrl: small.house.url,
      clientId: 'underbell',
      clientSecret: secret,
      scimToken: small.house.app.settings.scimToken!,
      people: [
        { id: 'd-1', name: 'Ines Holt', email: 'ines@skerrow.example', attributes: [] },
        { id: 'd-2', name: 'Tobias Wren', email: 'tobias@skerrow.example', attributes: [] },
      ],
      groups: [],
    });
    await directory.start();
    await directory.pushAll();
  });
  after(async () => {
    await directory.stop();
    await small.close();
  });

  const start = (words = '?silent') => `${small.house.url}/sign-in/sso${words}`;
  const whoIs = async (browser: Browser) => {
    const answer = await browser.go('GET', `${small.house.url}/api/v1/session`);
    return answer.status === 200
      ? ((await answer.json()) as { person: { email: string } }).person.email
      : answer.status;
  };
  /** Somebody who signed in with the directory in this browser, somewhere. */
  async function known(id: string): Promise<Browser> {
    const browser = new Browser();
    const interaction = await browser.follow(start(''), /\/interaction\//);
    const chosen = await browser.go('POST', `${interaction}/${id}`);
    await browser.follow(new URL(chosen.headers.get('location')!, interaction).href, /\/console/);
    return browser;
  }

  it('asks nobody for anything: who is not known to the directory comes back unknown', async () => {
    const browser = new Browser();
    const end = await browser.follow(start(), /\/interaction\//);
    assert.equal(new URL(end).pathname, '/sign-in/silent');
    assert.equal(new URL(end).search, '', 'and no address says why');
    assert.equal(await whoIs(browser), 401);
  });

  it('lets in who is known there, and two that were begun at once do not end each other', async () => {
    const browser = await known('d-1');
    await browser.go('DELETE', `${small.house.url}/api/v1/session`);
    assert.equal(await whoIs(browser), 401);
    const begun = await Promise.all([1, 2, 3].map(() => browser.go('GET', start())));
    for (const one of begun.reverse()) {
      const end = await browser.follow(one.headers.get('location')!, /\/interaction\//);
      assert.equal(new URL(end).pathname, '/sign-in/silent');
    }
    assert.equal(await whoIs(browser), 'ines@skerrow.example');
  });

  it('takes nobody else’s answer, and none twice', async () => {
    const ines = await known('d-1');
    const tobias = await known('d-2');
    const begun = await ines.go('GET', start());
    const back = await ines.follow(begun.headers.get('location')!, /\/sign-in\/sso\/callback/);
    assert.match(back, /code=/);
    // Another browser that is led to it stays who it was.
    await tobias.follow(back, /\/sign-in\/silent|\/console/);
    assert.equal(await whoIs(tobias), 'tobias@skerrow.example');
    const stranger = new Browser();
    await stranger.follow(back, /\/sign-in\/silent|\/console/);
    assert.equal(await whoIs(stranger), 401);
  });

  it('leads nowhere but to an empty page, wherever it was to lead', async () => {
    const browser = await known('d-1');
    const end = await browser.follow(start('?silent&return=https://evil.example/'), /^https:\/\/evil/);
    assert.equal(new URL(end).pathname, '/sign-in/silent');
    const page = await fetch(`${small.house.url}/sign-in/silent`);
    assert.match(page.headers.get('content-security-policy')!, /default-src 'none'/);
    assert.ok(!/script|href|form/.test(await page.text()));
  });

  it('lets nobody in who has left, or whom the directory did not make known', async () => {
    const browser = await known('d-2');
    await small.fine('PUT', '/api/v1/users/tobias@skerrow.example', { state: 'left' }, root);
    const end = await browser.follow(start(), /\/interaction\//);
    assert.equal(new URL(end).pathname, '/sign-in/silent');
    assert.equal(await whoIs(browser), 401);
  });
});
