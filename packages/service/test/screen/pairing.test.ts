import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import * as oauth from 'openid-client';
import type { ShownScreen } from '@underbell/core/screen';
import { until } from '../house.ts';
import { author, owner, reader, root } from '../smallHouse.ts';
import { Device, playlist, ScreenHouse } from './screenHouse.ts';

const codeOf = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'fine',
    (error: unknown) => (error as { error?: string }).error ?? String(error),
  );

describe('pairing a screen, by a client that knows the standard alone', () => {
  let screens: ScreenHouse;
  before(async () => {
    screens = await ScreenHouse.open();
  });
  after(() => screens.close());

  it('takes a device in by the code that it shows, once', async () => {
    const device = await Device.start(screens.url);
    const asked = await device.ask();
    assert.match(asked.user_code, /^[BCDFGHJKLMNPQRSTVWXZ]{4}-[BCDFGHJKLMNPQRSTVWXZ]{4}$/);
    assert.equal(asked.verification_uri_complete, `${asked.verification_uri}?code=${asked.user_code}`);
    const typed = encodeURIComponent(asked.user_code.toLowerCase().replace('-', ' '));
    const seen = await screens.call('GET', `/api/v1/pairing-codes/${typed}`, owner);
    const said = { browser: 'Test 1.0', width: 1920, height: 1080, address: '127.0.0.1' };
    assert.deepEqual(seen.body['device'], said);
    const made = await screens.type(asked.user_code, screens.screenBody('first'));
    assert.equal(made.status, 201, made.text);
    await device.take(asked);
    assert.equal((await device.program()).screen.title, 'Screen first');
    // The code, and the device's own, are good for one screen.
    const other = await Device.start(screens.url);
    assert.equal(await codeOf(other.poll(asked)), 'expired_token');
    assert.equal((await screens.call('GET', `/api/v1/pairing-codes/${asked.user_code}`, owner)).status, 404);
  });

  it('lets a device wait, asks it to be slower, and tells it when it is refused', async () => {
    const device = await Device.start(screens.url);
    const asked = await device.ask();
    const form = new URLSearchParams({
      grant_type: 'urn:ietf:params:oauth:grant-type:device_code',
      device_code: asked.device_code,
      client_id: 'screen',
    });
    // Without a proof of its key it gets nothing, however it asks.
    const bare = await screens.small.house.call('POST', '/oauth/token', { form });
    assert.deepEqual([bare.status, bare.body['error']], [400, 'invalid_dpop_proof']);
    assert.equal(await codeOf(device.poll(asked)), 'authorization_pending');
    assert.equal(await codeOf(device.poll(asked)), 'slow_down');
    assert.equal((await screens.call('DELETE', `/api/v1/pairing-codes/${asked.user_code}`, owner)).status, 204);
    assert.equal(await codeOf(device.poll(asked)), 'access_denied');
    assert.equal(await codeOf(device.poll({ ...asked, device_code: 'ubd_none' })), 'expired_token');
  });

  it('is for those alone who look after the group, and guesses are counted', async () => {
    const asked = await (await Device.start(screens.url)).ask();
    const body = screens.screenBody('mine');
    for (const as of [reader, author])
      assert.equal((await screens.type(asked.user_code, body, as)).body.code, 'NOT_FOUND', as);
    const wrong = await screens.type(asked.user_code, screens.screenBody('mine', { quey: 'Q1' }));
    assert.deepEqual([wrong.body.code, wrong.body['nearest']], ['SCREEN_INVALID', ['quay']]);
    for (const bad of [screens.screenBody('mine', { least: 'ten' }), { ...body, timeZone: 'Europe/Nowhere' }])
      assert.equal((await screens.type(asked.user_code, bad)).body.code, 'SCREEN_INVALID');
    // What was refused left nothing behind: the code is still good.
    assert.equal((await screens.type(asked.user_code, body)).status, 201);
    const guesses = await Promise.all(
      Array.from({ length: 25 }, () => screens.call('GET', '/api/v1/pairing-codes/BBBB-BBBB', author)),
    );
    assert.equal(guesses.filter((one) => one.body.code === 'RATE_LIMITED').length, 5);
  });

  it('takes one device of two whose codes are typed for one name at once', async () => {
    const devices = await Promise.all([Device.start(screens.url), Device.start(screens.url)]);
    const asked = await Promise.all(devices.map((one) => one.ask()));
    const answers = await Promise.all(asked.map((one) => screens.type(one.user_code, screens.screenBody('both'))));
    const states = answers.map((one) => one.status).sort();
    assert.deepEqual(states, [201, 409], answers.map((one) => one.text).join());
    const first = answers.findIndex((one) => one.status === 201);
    await devices[first]!.take(asked[first]!);
    // Another device does not take over what hangs and plays.
    const later = await screens.type(asked[1 - first]!.user_code, screens.screenBody('both'));
    assert.equal(later.body.code, 'IN_USE');
  });

  it('binds the key to the device, and renews it; the one before is good until the new one was used', async () => {
    const device = await screens.pair('bound');
    const thief = await Device.start(screens.url);
    thief.tokens = device.tokens;
    assert.equal(await codeOf(thief.renew()), 'invalid_dpop_proof');
    const bare = await screens.small.house.call('GET', '/api/v1/screen/schedule', {
      token: device.tokens!.access_token,
    });
    assert.equal(bare.body.code, 'TOKEN_INVALID');
    const stolen = { Authorization: `DPoP ${device.tokens!.access_token}` };
    const without = await screens.small.house.call('GET', '/api/v1/screen/schedule', { headers: stolen });
    assert.equal(without.body.code, 'PROOF_INVALID');
    const first = device.tokens!;
    await device.renew();
    // The power went before it was written down: the one before is good until the new one was used.
    device.tokens = first;
    await device.renew();
    assert.equal((await device.program()).screen.name, 'bound');
    await device.renew();
    assert.equal((await device.program()).screen.name, 'bound');
  });

  it('is dark, with its copy, as soon as both have used what the device keeps', async () => {
    const device = await screens.pair('copied');
    await device.renew();
    const copy = device.copy();
    await device.renew();
    // Nobody can tell by this which of them hangs on the wall: it may be a device that lost an answer.
    await copy.renew();
    assert.equal((await copy.program()).screen.name, 'copied');
    // What was made up, or belongs to another, ends nobody's screen.
    const other = await screens.pair('other');
    const held = device.tokens!.refresh_token!;
    for (const refresh_token of ['ubr_guess.k_guess', `${held.split('.')[0]!}.k_guess`]) {
      other.tokens = { ...other.tokens!, refresh_token };
      assert.equal(await codeOf(other.renew()), 'invalid_grant');
    }
    assert.equal((await copy.program()).screen.name, 'copied');
    assert.equal((await other.program()).screen.name, 'other');
    // The first one goes on with what it has: now it is known that there are two.
    assert.equal(await codeOf(device.renew()), 'invalid_grant');
    for (const one of [device, copy]) {
      assert.equal((await one.call('GET', '/api/v1/screen/schedule')).body.code, 'SCREEN_UNPAIRED');
      assert.equal(await codeOf(one.renew()), 'invalid_grant');
    }
    const shown = (await screens.call('GET', '/api/v1/screens/copied', owner)).body as unknown as ShownScreen;
    assert.deepEqual([shown.state, shown.endedBy], ['closed', 'Under Bell']);
    assert.deepEqual(
      shown.history.slice(0, 2).map((one) => one.what),
      ['two devices', 'ended'],
    );
    await screens.pair('copied');
  });

  it('opens nothing but what screens ask', async () => {
    const device = await screens.pair('narrow');
    const { access_token } = device.tokens!;
    for (const path of [
      '/api/v1/reports/works/view',
      '/api/v1/screens',
      '/api/v1/playlists',
      '/api/v1/placements/x/view',
    ])
      for (const scheme of ['Bearer', 'DPoP']) {
        const headers = { Authorization: `${scheme} ${access_token}` };
        const answer = await screens.small.house.call('GET', path, { headers });
        assert.ok([401, 404].includes(answer.status), `${path}: ${answer.text}`);
      }
    // A person's key is none of a screen.
    assert.equal((await screens.call('GET', '/api/v1/screen/schedule', owner)).body.code, 'TOKEN_INVALID');
  });

  it('ends within a second: the next question is refused, the stream says so', async () => {
    await screens.save(playlist());
    const device = await screens.pair('ended');
    const published = await screens.publish();
    assert.equal(published.status, 200, published.text);
    const { id } = (await device.program()).stretches[0]!.slots[0]!.as;
    assert.equal((await device.slot(id)).status, 200);
    const stream = await device.request('GET', '/api/v1/screen/events');
    const doors = await screens.call('GET', '/api/v1/active-access?kind=screen', owner);
    assert.ok(doors.text.includes('"ended"'), doors.text);
    assert.equal((await screens.call('POST', '/api/v1/screens/ended/unpair', reader)).body.code, 'NOT_FOUND');
    assert.equal((await screens.call('POST', '/api/v1/screens/ended/unpair', owner)).status, 200);
    assert.equal((await device.slot(id)).body.code, 'SCREEN_UNPAIRED', 'at once');
    assert.match(await stream.text(), /event: closed/);
    await until(async () => (await device.call('POST', '/api/v1/screen/heartbeat', {})).status === 401);
    assert.equal(await codeOf(device.renew()), 'invalid_grant');
    const again = await screens.pair('ended');
    assert.equal((await again.program()).screen.name, 'ended');
    assert.equal((await device.slot(id)).body.code, 'SCREEN_UNPAIRED', 'what was closed stays so');
  });

  it('gives no key to a device whose screen was ended before it asked, nor one name to two', async () => {
    const devices = await Promise.all([Device.start(screens.url), Device.start(screens.url)]);
    const [first, second] = await Promise.all(devices.map((one) => one.ask()));
    assert.equal((await screens.type(first!.user_code, screens.screenBody('early'))).status, 201);
    const again = await screens.type(second!.user_code, screens.screenBody('early'));
    assert.equal(again.body.code, 'IN_USE', 'the first may still ask for its key');
    await screens.small.fine('POST', '/api/v1/screens/early/unpair', undefined, owner);
    assert.equal(await codeOf(devices[0]!.poll(first!)), 'access_denied');
    assert.equal((await screens.type(second!.user_code, screens.screenBody('early'))).status, 201);
    await devices[1]!.take(second!);
    assert.equal((await devices[1]!.program()).screen.name, 'early');
  });

  it('takes a proof once', async () => {
    const device = await screens.pair('once');
    const seen: string[] = [];
    device.config[oauth.customFetch] = (url, options) => {
      seen.push(new Headers(options.headers as HeadersInit).get('dpop') ?? '');
      return fetch(url, options as RequestInit);
    };
    await device.beat();
    const headers = { Authorization: `DPoP ${device.tokens!.access_token}`, DPoP: seen.at(-1)! };
    const again = await screens.small.house.call('POST', '/api/v1/screen/heartbeat', { headers, body: {} });
    assert.equal(again.body.code, 'PROOF_INVALID');
  });

  it('says what administrators declare, who keep what screens say', async () => {
    const attributes = [{ name: 'quay', label: 'Quay', type: 'number' }];
    const declare = (as: string) => screens.call('PUT', '/api/v1/screen-attributes', as, { attributes });
    assert.equal((await declare(owner)).body.code, 'NOT_ALLOWED');
    assert.equal((await declare(root)).body.code, 'IN_USE');
  });
});
