import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import * as oauth from 'openid-client';
import sharp from 'sharp';
import type { ListedScreen, ShownScreen } from '@underbell/core/screen';
import { startWorker } from '../../src/server.ts';
import { flushHeartbeats } from '../../src/screen/heartbeats.ts';
import { screenStates } from '../../src/screen/models.ts';
import { sendAlerts } from '../../src/screen/alerts.ts';
import { until } from '../house.ts';
import { owner, reader } from '../smallHouse.ts';
import type { StoredMail } from '../../../standins/src/mail/mailHost.ts';
import { ScreenHouse, type Device } from './screenHouse.ts';

const minuteMs = 60_000;

describe('screens with which something is wrong', () => {
  let screens: ScreenHouse;
  let first: Device;
  let second: Device;
  const letters: { to: readonly string[]; subject: string }[] = [];
  before(async () => {
    const onMail = ({ to, raw }: StoredMail) => {
      const [, subject = ''] = /^Subject: (.*)$/m.exec(raw.toString()) ?? [];
      letters.push({ to, subject });
    };
    screens = await ScreenHouse.open({ mail: { onMail } });
    screens.small.house.worker = startWorker(screens.small.house.app);
    first = await screens.pair('one');
    second = await screens.pair('two');
  });
  after(() => screens.close());

  const look = async () => {
    await flushHeartbeats(screens.small.house.app);
    await sendAlerts(screens.small.house.app);
  };
  const beat = (device: Device, shown: object) => device.beat(shown);
  /** As if nothing had been heard for five minutes. */
  const fallSilent = async () => {
    const { app } = screens.small.house;
    await flushHeartbeats(app);
    await screenStates(app).update({ beatAt: new Date(Date.now() - 5 * minuteMs) }, { where: {} });
  };
  const stateOf = async (name: string) =>
    (await screens.call('GET', `/api/v1/screens/${name}`, owner)).body as unknown as ShownScreen;
  const told = (subject: RegExp) => letters.filter((one) => subject.test(one.subject));

  it('are told of by mail once, to those who look after their group, and come first in the list', async () => {
    await beat(first, { slot: 'a' });
    await beat(second, { slot: 'a' });
    await look();
    assert.equal(letters.length, 0);
    await fallSilent();
    await Promise.all([look(), look()]);
    await look();
    await until(() => told(/^Screen offline: 2 screens of quays$/).length > 0);
    assert.deepEqual(
      told(/offline/).map((one) => one.to),
      [[owner]],
    );
    assert.equal((await stateOf('one')).state, 'silent');
    assert.equal((await stateOf('one')).history.filter((one) => one.what === 'silent').length, 1);
    await beat(first, { slot: 'a' });
    await beat(second, { slot: 'a' });
    await look();
    const { screens: all } = (await screens.call('GET', '/api/v1/screens', owner)).body as unknown as {
      screens: ListedScreen[];
    };
    assert.deepEqual(new Set(all.map((one) => one.state)), new Set(['fine']));
    // One that speaks again and falls silent again is told of again.
    await fallSilent();
    await look();
    await until(() => told(/2 screens/).length > 1);
  });

  it('are told of when their figures are old, and again only after they were new', async () => {
    const group = { title: 'On the quays', worryMinutes: 60 };
    await screens.small.fine('PUT', '/api/v1/screen-groups/quays', group, owner);
    const old = { slot: 'a', asOf: Date.now() - 90 * minuteMs };
    await beat(second, { slot: 'a', asOf: Date.now() });
    await beat(first, old);
    await look();
    await until(() => told(/^Data out of date: one$/).length === 1);
    await beat(first, old);
    await look();
    // Between two slots with figures it shows words, which have no age.
    await beat(first, { slot: 'words', asOf: null });
    await look();
    await beat(first, old);
    await look();
    assert.equal((await stateOf('one')).history.filter((one) => one.what === 'stale').length, 1);
    assert.equal((await stateOf('one')).state, 'stale');
    await beat(first, { slot: 'a', asOf: Date.now() });
    await look();
    await beat(first, old);
    await look();
    await until(() => told(/^Data out of date: one$/).length === 2);
  });

  it('are closed and told of when two devices have used one key', async () => {
    const device = await screens.pair('doubled');
    const copy = device.copy();
    await device.renew();
    await copy.renew();
    await assert.rejects(device.renew());
    const [letter] = await until(() => {
      const found = told(/^Screen unpaired \(key used by two devices\): doubled$/);
      return found.length > 0 ? found : undefined;
    });
    assert.deepEqual(letter!.to, [owner]);
    await assert.rejects(copy.renew());
    assert.equal(told(/doubled/).length, 1, 'once');
  });

  it('are nothing to those who may not see their group', async () => {
    const { screens: seen } = (await screens.call('GET', '/api/v1/screens', reader)).body as unknown as {
      screens: ListedScreen[];
    };
    assert.deepEqual(seen, []);
    assert.ok(letters.every(({ to }) => !to.includes(reader)));
  });

  it('show those who look after them what is really on them, asked for while somebody looks', async () => {
    const picture = (as = owner) => screens.call('GET', '/api/v1/screens/one/screenshot', as);
    assert.equal((await picture()).status, 404);
    assert.deepEqual((await first.beat({ slot: 'a' })).orders, ['send picture']);
    assert.deepEqual((await first.beat({ slot: 'a' })).orders, [], 'once');
    // Nobody makes it work by asking again and again.
    await Promise.all([picture(), picture()]);
    assert.deepEqual((await first.beat({ slot: 'a' })).orders, []);
    const bytes = await sharp({ create: { width: 480, height: 270, channels: 3, background: 'red' } })
      .webp()
      .toBuffer();
    const send = async (device: Device, body: Buffer | string) => {
      const url = new URL('/api/v1/screen/screenshot', screens.url);
      const { access_token } = device.tokens!;
      const headers = new Headers({ 'Content-Type': 'image/webp' });
      const answer = await oauth
        .fetchProtectedResource(device.config, access_token, url, 'POST', body as never, headers, { DPoP: device.dpop })
        .catch((error: { response?: Response }) => error.response!);
      return answer.status;
    };
    assert.equal(await send(first, bytes), 204);
    const slow = `<svg xmlns="http://www.w3.org/2000/svg" width="4000" height="1000"><filter id="f"><feTurbulence numOctaves="99"/></filter>${'<rect width="4000" height="1000" filter="url(#f)"/>'.repeat(40)}</svg>`;
    for (const wrong of [
      'no picture',
      '<svg xmlns="http://www.w3.org/2000/svg"><script/></svg',
      slow,
      Buffer.alloc(400_000),
    ])
      assert.ok((await send(first, wrong)) >= 400);
    const seen = await picture();
    assert.deepEqual([seen.status, seen.headers.get('content-type')], [200, 'image/webp']);
    assert.equal((await picture(reader)).status, 404);
    assert.notEqual((await stateOf('one')).picturedAt, null);
    assert.equal((await fetch(`${screens.url}/api/v1/screen/screenshot`, { method: 'POST' })).status >= 400, true);
    await screens.small.fine('POST', '/api/v1/screens/one/unpair', undefined, owner);
    assert.equal((await picture()).status, 404, 'what it showed is gone with its key');
    assert.equal(await send(first, bytes), 401);
  });
});
