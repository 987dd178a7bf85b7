import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { makeSetupCode } from '../../src/access/index.ts';
import { verifyAudit } from '../../src/platform/index.ts';
import { administrator, board, House, manager, publisher } from '../house.ts';

describe('people, rules and rights', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const signIn = (email: string, password: string) =>
    house.call('POST', '/api/v1/session', { body: { email, password } });

  it('answers alike for an unknown person and a wrong password, and locks after many', async () => {
    const unknown = await signIn('nobody@skerrow.example', 'x');
    const wrong = await signIn(board, 'x');
    assert.deepEqual(unknown.body, wrong.body);
    assert.equal(wrong.status, 401);
  });

  it('lets no guess pass uncounted, however many come at once, and tells nobody whether somebody is here by that', async () => {
    const tries = (email: string) => Promise.all(Array.from({ length: 40 }, () => signIn(email, 'x')));
    const [known, unknown] = [await tries(administrator), await tries('nobody-else@skerrow.example')];
    for (const answers of [known, unknown]) {
      const looked = answers.filter((one) => one.body.code === 'SIGN_IN_FAILED');
      assert.ok(looked.length <= 8, `${looked.length} were looked at`);
      assert.ok(answers.every((one) => one.body.code === 'SIGN_IN_FAILED' || one.body.code === 'RATE_LIMITED'));
    }
    const still = (email: string) => signIn(email, 'lantern-quay-7');
    const words = async (email: string) => (await still(email)).text.replaceAll(/\d+/g, 'N');
    assert.equal(await words(administrator), await words('nobody-else@skerrow.example'));
    await house.app.records.query('DELETE FROM rate_limits');
  });

  it('does not keep the right person out, from a browser that they have signed in from', async () => {
    const email = 'ada.arkwell.q001@skerrow.example';
    const { app } = house;
    const { signIn: enter, browserKey } = await import('../../src/access/signIn.ts');
    const { findPersonRow } = await import('../../src/access/index.ts');
    const { id } = (await findPersonRow(app, { email }))!;
    const browser = browserKey(app, id);
    // Strangers all over the world guess at once.
    const strangers = Array.from({ length: 130 }, (_, i) =>
      enter(app, { email, password: 'x', kind: 'browser', origin: `203.0.113.${i}` }).catch((error: unknown) => error),
    );
    const codes = (await Promise.all(strangers)).map((one) => (one as { code: string }).code);
    assert.ok(codes.includes('RATE_LIMITED'));
    const right = { email, password: 'lantern-quay-7', kind: 'browser', origin: '198.51.100.7' } as const;
    await assert.rejects(enter(app, right), { code: 'RATE_LIMITED' });
    assert.equal((await enter(app, { ...right, browser })).person.email, email);
    // A mark of another person, or one that somebody made up, is none.
    const other = browserKey(app, (await findPersonRow(app, { email: manager }))!.id);
    for (const mark of [other, 'x.y', `${browser}x`, ''])
      await assert.rejects(enter(app, { ...right, browser: mark }), { code: 'RATE_LIMITED' });
  });

  it('gives a browser a cookie that scripts and other sites cannot use', async () => {
    const cookie = (await signIn(manager, 'lantern-quay-7')).headers.get('set-cookie')!;
    assert.match(cookie, /httponly/i);
    assert.match(cookie, /samesite=lax/i);
    const session = cookie.split(';')[0]!;
    assert.equal((await house.call('GET', '/api/v1/session', { headers: { Cookie: session } })).status, 200);
    const foreign = await house.call('DELETE', '/api/v1/session', {
      headers: { Cookie: session, Origin: 'https://evil.example' },
    });
    assert.deepEqual([foreign.status, foreign.body.code], [403, 'CROSS_SITE']);
    const opaque = await house.call('DELETE', '/api/v1/session', { headers: { Cookie: session, Origin: 'null' } });
    assert.equal(opaque.body.code, 'CROSS_SITE');
    assert.equal(
      (await house.call('DELETE', '/api/v1/session', { headers: { Cookie: session, Origin: house.url } })).status,
      204,
    );
    assert.equal((await house.call('GET', '/api/v1/session', { headers: { Cookie: session } })).status, 401);
  });

  it('shows what a person would see, each limit with the rows left', async () => {
    const { status, body } = await house.call(
      'GET',
      `/api/v1/reports/quay-punctuality/preview-as?as=${manager}&month=2026-10-01`,
      { as: publisher },
    );
    assert.equal(status, 200);
    const seen = body as unknown as {
      right: { because: string };
      datasets: { rowsTotal: number; rows: number; limits: { origin: string; words: string; rowsLeft: number }[] }[];
    };
    assert.match(seen.right.because, /Quay managers/);
    const [sailings] = seen.datasets;
    assert.deepEqual(
      sailings!.limits.map((one) => `${one.origin}: ${one.words}`),
      ['row rule: quay is Q017', 'reader: month is 1 October 2026'],
    );
    assert.ok(
      sailings!.rowsTotal > sailings!.limits[0]!.rowsLeft &&
        sailings!.limits[0]!.rowsLeft > sailings!.rows &&
        sailings!.rows > 0,
    );
  });

  it('says when a person has no right, or no rule names the person', async () => {
    const { body } = await house.call('GET', `/api/v1/reports/quay-punctuality/preview-as?as=${board}`, {
      as: publisher,
    });
    const seen = body as unknown as {
      right: { level: string };
      datasets: { rows: number; limits: { words: string }[] }[];
      results: object;
    };
    assert.equal(seen.right.level, 'none');
    assert.equal(seen.datasets[0]!.rows, 0);
    assert.match(seen.datasets[0]!.limits[0]!.words, /no row rule of dataset “sailings” applies/);
    assert.deepEqual(seen.results, {});
  });

  it('lets only those who may edit the report see as others', async () => {
    assert.equal(
      (await house.call('GET', `/api/v1/reports/quay-punctuality/preview-as?as=${publisher}`, { as: manager })).body
        .code,
      'NOT_ALLOWED',
    );
    const typo = await house.call('GET', '/api/v1/reports/quay-punctuality/preview-as?as=quay71@skerrow.example', {
      as: publisher,
    });
    assert.deepEqual([typo.status, typo.body.nearest?.[0]], [404, manager]);
  });

  it('refuses rules with a typo and keeps the old one', async () => {
    const put = (where: string, appliesTo: object = { kind: 'group', name: 'Quay managers' }) =>
      house.call('PUT', '/api/v1/datasets/sailings/row-rules/own-quay', { as: publisher, body: { appliesTo, where } });
    assert.equal((await put("quay_id = person('Quay')")).body.nearest?.[0], 'quay');
    assert.equal((await put("quayid = person('quay')")).body.code, 'FILTER_UNKNOWN_COLUMN');
    assert.equal((await put('TRUE', { kind: 'group', name: 'Quay manager' })).body.nearest?.[0], 'Quay managers');
    assert.equal((await put('TRUE', { kind: 'grup', name: 'x' })).body.code, 'INPUT_INVALID');
    const { rules } = (await house.call('GET', '/api/v1/datasets/sailings/row-rules', { as: publisher }))
      .body as unknown as { rules: { name: string; where: string }[] };
    assert.equal(rules.find((one) => one.name === 'own-quay')?.where, "quay_id = person('quay')");
  });

  it('does not open a dataset by taking its last rule away unless that is confirmed', async () => {
    await house.call('PUT', '/api/v1/datasets/small/file', { as: publisher, csv: 'quay\nQ1\n' });
    await house.call('PUT', '/api/v1/datasets/small/row-rules/only', {
      as: publisher,
      body: { appliesTo: { kind: 'everyone' }, where: "quay = 'Q1'" },
    });
    assert.equal(
      (await house.call('DELETE', '/api/v1/datasets/small/row-rules/only', { as: publisher })).body.code,
      'IN_USE',
    );
    assert.equal(
      (await house.call('DELETE', '/api/v1/datasets/small/row-rules/only?confirmed=true', { as: publisher })).status,
      204,
    );
  });

  it('hides from readers what they may not see, and refuses what they may not do', async () => {
    for (const [method, path, body] of [
      ['GET', '/api/v1/bursts/quay-pack/preview', undefined],
      ['GET', '/api/v1/lists/quay-managers', undefined],
      ['GET', '/api/v1/datasets/sailings', undefined],
      ['GET', '/api/v1/datasets/sailings/row-rules', undefined],
      [
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'everyone' }, thing: { kind: 'dataset', name: 'sailings' }, level: 'own' },
      ],
    ] as const) {
      const answer = await house.call(method, path, { as: manager, body });
      assert.equal(answer.status, 404, `${method} ${path}: ${answer.text}`);
    }
    assert.equal(
      (await house.call('POST', '/api/v1/reports', { as: manager, body: { definition: {} } })).body.code,
      'REPORT_INVALID',
    );
    assert.equal((await house.call('GET', '/api/v1/users', { as: manager })).status, 403);
  });

  it('remembers every change in a chain that shows tampering', async () => {
    const whole = await verifyAudit(house.app);
    assert.ok(whole.entries > 8);
    assert.equal(whole.brokenAt, undefined);
    await house.app.records.query("UPDATE audit SET who = 'somebody else' WHERE id = 3");
    assert.equal((await verifyAudit(house.app)).brokenAt, 3);
  });
});

describe('the first visit', () => {
  let house: House;
  before(async () => {
    house = await House.open();
  });
  after(() => house.close());

  it('makes one administrator, with the printed code only', async () => {
    const code = await makeSetupCode(house.app);
    const visit = (change: object) =>
      house.call('POST', '/api/v1/setup', {
        body: {
          code,
          email: 'First@skerrow.example',
          name: 'First',
          password: 'brass lantern over the quay',
          ...change,
        },
      });
    assert.equal((await visit({ code: 'guess' })).body.code, 'SIGN_IN_FAILED');
    assert.equal((await visit({ password: 'short' })).body.code, 'INPUT_INVALID');
    assert.equal((await visit({})).status, 200);
    assert.equal((await visit({})).body.code, 'SETUP_DONE');
    assert.equal(await makeSetupCode(house.app), undefined);
  });
});
