import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import fc from 'fast-check';
import { casesOf } from '../../../core/test/cases.ts';
import type { Fleet, ScreenCounts } from '@underbell/core/screen';
import { screens as screenModel } from '../../src/screen/models.ts';
import { owner, reader, root } from '../smallHouse.ts';
import { playlist, ScreenHouse, type Device } from './screenHouse.ts';

const perGroup = 230;

describe('many screens', () => {
  let screens: ScreenHouse;
  /** How far the service's clock has gone on. */
  let ahead = 0;
  /** The right by which a reader sees one group. */
  let given = 0;
  before(async () => {
    screens = await ScreenHouse.open({ now: () => Date.now() + ahead });
    await screens.small.fine('PUT', '/api/v1/screen-groups/offices', { title: 'Offices' }, root);
    await screens.small.fine('PUT', '/api/v1/screen-groups/cellars', { title: 'Cellars' }, root);
    const row = (groupName: string, i: number) => ({
      name: `${groupName}-${String(i).padStart(3, '0')}`,
      title: `${groupName} number ${i}`,
      groupName,
      attributes: { quay: groupName === 'cellars' ? 'SECRET' : `Q${i}` },
      timeZone: 'Europe/Berlin',
      language: 'en',
      pairedBy: owner,
      pairedAt: new Date(),
      endedBy: null,
      endedAt: i < 3 ? new Date() : null,
      asked: {},
    });
    const all = ['quays', 'offices', 'cellars'].flatMap((group) =>
      Array.from({ length: perGroup }, (_, i) => row(group, i)),
    );
    await screenModel(screens.small.house.app).bulkCreate(all);
    const grant = { holder: { kind: 'person', name: reader }, thing: { kind: 'screen-group', name: 'offices' } };
    await screens.small.fine('PUT', '/api/v1/permissions', { ...grant, level: 'view' }, root);
    const { body, text } = await screens.call('GET', '/api/v1/permissions?kind=screen-group&name=offices', root);
    const { grants = [] } = body as { grants?: { id: number; holder: { name: string } }[] };
    given = grants.find((one) => one.holder.name === reader)?.id ?? 0;
    assert.ok(given, text);
  });
  after(() => screens.close());

  const ask = (words: string, as = owner) => screens.call('GET', `/api/v1/screens${words}`, as);
  const part = async (words: string, as = owner): Promise<Fleet> => {
    const answer = await ask(words, as);
    assert.equal(answer.status, 200, answer.text);
    return answer.body as unknown as Fleet;
  };
  const sum = (counts: ScreenCounts) => Object.values(counts).reduce((all, one) => all + one, 0);

  it('come in parts, each once, the worst first, with how many there are in all', async () => {
    const first = await part('');
    assert.deepEqual([first.screens.length, first.total, sum(first.counts)], [200, 690, 690]);
    assert.deepEqual([first.counts.silent, first.counts.closed, first.counts.fine], [681, 9, 0]);
    const found: string[] = [];
    for (let from = 0; from < first.total; from += 157) {
      const { screens: some } = await part(`?from=${from}&count=157`);
      found.push(...some.map((one) => one.name));
    }
    assert.equal(found.length, 690);
    assert.equal(new Set(found).size, 690);
    const whole = await part('?count=1000');
    assert.deepEqual(
      whole.screens.map((one) => one.name),
      found,
    );
    assert.ok(whole.screens.slice(0, 681).every((one) => one.state === 'silent'));
    const nothing = await part('?count=0');
    assert.deepEqual([nothing.screens, nothing.total], [[], 690]);
    assert.deepEqual((await part('?from=690')).screens, []);
  });

  it('are narrowed by group, state and words; the counts are of all states', async () => {
    const closed = await part('?group=quays&state=closed');
    assert.deepEqual([closed.screens.length, closed.total, closed.counts.silent], [3, 3, 227]);
    for (const [find, expected] of [
      ['OFFICES number 22', 11],
      ['quays-17', 10],
      ['%', 0],
      ['_', 0],
      ['.*', 0],
      ['no such screen', 0],
    ] as const) {
      const { total } = await part(`?find=${encodeURIComponent(find)}`);
      const all = (await part('?count=1000')).screens.filter(({ name, title, attributes }) =>
        [name, title, ...Object.values(attributes)].some((one) => one.toLowerCase().includes(find.toLowerCase())),
      );
      assert.equal(total, all.length, find);
      assert.equal(total, expected, find);
    }
  });

  it('refuse what is no part: where, and what would be right', async () => {
    for (const [words, pointer] of [
      ['?count=1001', 'count'],
      ['?count=-1', 'count'],
      ['?count=many', 'count'],
      ['?from=-1', 'from'],
      ['?from=1.5', 'from'],
      [`?find=${'x'.repeat(201)}`, 'find'],
      ['?state=silnt', 'state'],
    ] as const) {
      const { status, body, text } = await ask(words);
      assert.deepEqual([status, body.code], [400, 'INPUT_INVALID'], text);
      assert.match(text, new RegExp(pointer), words);
    }
    assert.deepEqual((await ask('?state=silnt')).body['nearest'], ['silent']);
    const unknown = await ask('?states=silent');
    assert.deepEqual([unknown.body.code, unknown.body['nearest']], ['OPTION_UNKNOWN', ['state']]);
    const wrong = await ask('?group=quay');
    assert.deepEqual([wrong.body.code, wrong.body['nearest']], ['NOT_FOUND', ['quays']]);
  });

  it('are, to others, those of their groups alone: no word, number or count tells of the rest', async () => {
    const seen = await part('?count=1000', reader);
    assert.deepEqual([seen.total, sum(seen.counts)], [230, 230]);
    assert.ok(seen.screens.every((one) => one.group === 'offices'));
    for (const find of ['secret', 'cellars', 'quays-001']) {
      const { total, counts } = await part(`?find=${find}`, reader);
      assert.deepEqual([total, sum(counts)], [0, 0], find);
    }
    const hidden = await ask('?group=cellars', reader);
    const none = await ask('?group=cellarz', reader);
    assert.equal(hidden.body.code, 'NOT_FOUND');
    assert.equal(hidden.text.replaceAll('cellars', 'cellarz'), none.text);
    assert.doesNotMatch(hidden.text, /quays/);
    assert.equal((await screens.small.house.call('GET', '/api/v1/screens')).status, 401);
    assert.equal((await screens.small.house.call('GET', '/api/v1/screen-counts')).status, 401);
  });

  it('are counted for the console, each for whoever asks, and anew after ten seconds', async () => {
    const counted = async (as: string) =>
      ((await screens.call('GET', '/api/v1/screen-counts', as)).body as unknown as { counts: ScreenCounts }).counts;
    assert.deepEqual(await counted(owner), (await part('?count=0')).counts);
    assert.equal(sum(await counted(reader)), 230);
    await screenModel(screens.small.house.app).update({ endedAt: new Date() }, { where: { name: 'offices-100' } });
    ahead += 11_000;
    assert.deepEqual([(await counted(reader)).closed, (await counted(owner)).closed], [4, 10]);
    // Rights are not kept: who loses a group is told of it no more, at once.
    await screens.small.fine('DELETE', `/api/v1/permissions/${given}`, undefined, root);
    assert.equal(sum(await counted(reader)), 0);
    assert.equal((await part('', reader)).total, 0);
    ahead = 0;
  });

  it('are published to together, each that does not fit named with its own values, or none', async () => {
    await screens.save(playlist());
    const model = screenModel(screens.small.house.app);
    await model.update({ attributes: {} }, { where: { name: ['quays-010', 'quays-200'] } });
    const refused = await screens.publish();
    assert.equal(refused.body.code, 'PLAYLIST_MISFIT');
    for (const name of ['quays-010', 'quays-200']) assert.match(refused.text, new RegExp(`Screen “${name}”`));
    assert.doesNotMatch(refused.text, /quays-011/);
    assert.equal((await screens.call('GET', '/api/v1/playlists/quays', owner)).body['revision'], null);
    await model.update({ attributes: { quay: 'Q10' } }, { where: { name: ['quays-010', 'quays-200'] } });
    const published = await screens.publish();
    assert.equal(published.status, 200, published.text);
    assert.equal((published.body as { screens?: unknown[] }).screens?.length, 227);
  });
});

const codeOf = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'fine',
    (error: unknown) => (error as { error?: string }).error ?? String(error),
  );

describe('a key of a screen and its copies', () => {
  let screens: ScreenHouse;
  before(async () => (screens = await ScreenHouse.open()));
  after(() => screens.close());

  /** What a step does: a holder renews, renews and loses the answer, or shows what it made up. */
  const step = fc.record({
    holder: fc.nat(2),
    what: fc.constantFrom('renew', 'renew', 'renew', 'lose the answer', 'make one up', 'copy'),
  });

  it('are good as the rule says, whatever they do in whichever order: the newest, the one before, or all are dark', async (t) => {
    const options = casesOf(10, 2036);
    const counts = { renewed: 0, ended: 0, steps: 0 };
    let round = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 4, maxLength: 14 }), async (steps) => {
        const device = await screens.pair(`copies-${++round}`);
        const holders: Device[] = [device, device.copy(), device.copy()];
        const tokenOf = (at: number) => holders[at]!.tokens!.refresh_token!;
        // The rule, as it is meant: what the service holds, seen from outside.
        let [current, former, isEnded] = [tokenOf(0), '', false];
        for (const { holder, what } of steps) {
          counts.steps++;
          if (what === 'copy') {
            holders[holder] = holders[(holder + 1) % 3]!.copy();
            continue;
          }
          const before = holders[holder]!.tokens!;
          const shown =
            what === 'make one up' ? `${before.refresh_token!.split('.')[0]!}.k_made-up` : before.refresh_token!;
          holders[holder]!.tokens = { ...before, refresh_token: shown } as typeof before;
          const isGood = !isEnded && (shown === current || shown === former);
          const said = await codeOf(holders[holder]!.renew());
          assert.equal(said, isGood ? 'fine' : 'invalid_grant', `${what} by ${holder} after ${counts.steps} steps`);
          if (isGood) {
            counts.renewed++;
            [former, current] = [shown, tokenOf(holder)];
            if (what === 'lose the answer') holders[holder]!.tokens = before;
          } else {
            if (!isEnded) counts.ended++;
            isEnded = true;
            holders[holder]!.tokens = before;
          }
          const path = `/api/v1/screens/copies-${round}`;
          const { state, endedBy } = (await screens.call('GET', path, owner)).body as {
            state?: string;
            endedBy?: string;
          };
          assert.deepEqual([state === 'closed', endedBy], isEnded ? [true, 'Under Bell'] : [false, undefined]);
        }
      }),
      options,
    );
    assert.ok(counts.renewed > 5 && counts.ended > 1, JSON.stringify(counts));
    t.diagnostic(`seed ${options.seed}: ${JSON.stringify(counts)}`);
  });

  it('do nothing to each other at the same moment that they would not do one after the other', async () => {
    const device = await screens.pair('at-once');
    const copies = Array.from({ length: 6 }, () => device.copy());
    const said = await Promise.all(copies.map((one) => codeOf(one.renew())));
    // All of them show what was the newest, and then the one before: as if answers had been lost.
    assert.deepEqual(new Set(said), new Set(['fine']));
    const after = await Promise.all(copies.map((one) => codeOf(one.renew())));
    assert.ok(after.filter((one) => one === 'fine').length <= 1, after.join());
    for (const one of [device, ...copies]) assert.equal(await codeOf(one.renew()), 'invalid_grant');
    const { history } = (await screens.call('GET', '/api/v1/screens/at-once', owner)).body as unknown as {
      history: { what: string }[];
    };
    assert.equal(history.filter((one) => one.what === 'two devices').length, 1, 'told once');
  });

  it('are not ended by those who hold another screen’s key, or none', async () => {
    const device = await screens.pair('victim');
    const thief = await screens.pair('thief');
    const family = device.tokens!.refresh_token!.split('.')[0]!;
    const own = thief.tokens!;
    for (const refresh_token of [
      family,
      `${family}.`,
      `${family}.k_x`,
      `${family}.k_x.y`,
      '',
      '.',
      'x'.repeat(10_000),
    ]) {
      thief.tokens = { ...own, refresh_token } as typeof own;
      assert.notEqual(await codeOf(thief.renew()), 'fine');
      const form = new URLSearchParams({ grant_type: 'refresh_token', client_id: 'screen', refresh_token });
      const bare = await screens.small.house.call('POST', '/oauth/token', { form });
      assert.ok(bare.status === 400 || bare.status === 401, bare.text);
    }
    thief.tokens = own;
    await thief.renew();
    await device.renew();
    assert.equal((await device.program()).screen.name, 'victim');
  });

  it('are refused, and nothing breaks inside, where a proof shows a point beside its curve', async () => {
    const encode = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');
    const jwk = { kty: 'EC', crv: 'P-256', x: 'AAAA', y: 'BBBB' };
    const payload = { htm: 'POST', htu: `${screens.url}/oauth/token`, jti: 'j', iat: Math.floor(Date.now() / 1000) };
    const DPoP = `${encode({ alg: 'ES256', typ: 'dpop+jwt', jwk })}.${encode(payload)}.${'A'.repeat(86)}`;
    const form = new URLSearchParams({ grant_type: 'refresh_token', client_id: 'screen', refresh_token: 'ubr_x.k_y' });
    const answer = await screens.small.house.call('POST', '/oauth/token', { form, headers: { DPoP } });
    assert.deepEqual([answer.status, answer.body['error']], [400, 'invalid_dpop_proof'], answer.text);
    const device = await screens.pair('beside');
    const headers = { Authorization: `DPoP ${device.tokens!.access_token}`, DPoP };
    const beat = await screens.small.house.call('POST', '/api/v1/screen/heartbeat', { headers, body: {} });
    assert.deepEqual([beat.status, beat.body.code], [401, 'PROOF_INVALID'], beat.text);
  });
});
