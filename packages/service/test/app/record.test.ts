import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, report, rowsOf } from '../smallHouse.ts';
import { AppHouse } from './appHouse.ts';

interface Tried {
  readonly fields: { name: string; type: string; dataset: string; column?: string }[];
  readonly datasets: { rows?: number; limits: { words: string }[] }[];
  readonly refused?: { code: string };
  readonly nearest: Record<string, string[]>;
  readonly view?: object;
}

describe('a placement beside a record', () => {
  let apps: AppHouse;
  before(async () => {
    apps = await AppHouse.open();
    await apps.turn('enable');
  });
  after(() => apps.close());
  const tryIt = async (record: object, as = owner): Promise<Tried> =>
    (await apps.small.fine('POST', '/api/v1/placements/quay-record/test', { record }, as)).body as unknown as Tried;
  const save = (where: string) =>
    apps.small.house.call('PUT', '/api/v1/placements/try-me', {
      as: owner,
      body: { kind: 'app', title: 'Try', report: 'works', where: { works: where } },
    });

  it('is checked when it is saved: columns, types and quoting, with the nearest name', async () => {
    const wrong = await save("quey = record('quay')");
    assert.deepEqual([wrong.body.code, wrong.body['nearest']], ['FILTER_UNKNOWN_COLUMN', ['quay']]);
    for (const text of [
      'quay = record(quay)',
      "quay = record('quay'",
      "quay = record('a', 'b')",
      "cost > 'x' AND quay = record('quay')",
    ])
      assert.ok((await save(text)).status === 400, text);
    assert.equal((await save("cost >= record('least')")).status, 200);
    const bad = await apps.look({ as: owner }, '?record=least:ten', 'try-me');
    assert.equal(bad.body.code, 'VALUE_INVALID');
    assert.equal((await apps.look({ as: owner }, '?record=least:120.5', 'try-me')).status, 200);
  });

  it('shows nothing of a record that has no number yet, and says so', async () => {
    for (const query of ['', '?record=quay:', '?record=quay:%20'])
      assert.equal((await apps.look({ as: owner }, query)).body.code, 'RECORD_INCOMPLETE', query);
    const near = await apps.look({ as: owner }, '?record=Quay:Q1');
    assert.deepEqual([near.body.code, near.body['nearest']], ['RECORD_INCOMPLETE', ['Quay']]);
    for (const context of [{}, { quay: '' }, { Quay: 'Q1' }])
      assert.equal((await apps.ask(context)).body.code, 'RECORD_INCOMPLETE', JSON.stringify(context));
  });

  it('shows an empty page of a record without rows', async () => {
    const answer = await apps.look({ as: owner }, '?record=quay:Q9');
    assert.equal(answer.status, 200);
    assert.deepEqual(rowsOf(answer, 'rows'), []);
  });

  it('is not reached round: a token has its own record, and quoting ends nothing', async () => {
    const token = await apps.tokenFor({ quay: 'Q1' });
    assert.ok(rowsOf(await apps.look({ token }), 'rows').every((row) => row[1] === 'Q1'));
    assert.equal((await apps.look({ token }, '?record=quay:Q2')).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await apps.look({ token }, '?record=company:trust')).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await apps.look({ token }, '?record=quay:Q1')).status, 200);
    for (const quay of ["Q1' OR '1'='1", "' OR TRUE --", 'Q1%', '*', '__proto__'])
      assert.deepEqual(rowsOf(await apps.look({ token: await apps.tokenFor({ quay }) }), 'rows'), [], quay);
    assert.equal((await apps.look({ as: owner }, '?record=quay:Q1&record=quay:Q2')).body.code, 'INPUT_INVALID');
    assert.equal((await apps.look({ as: owner }, '?record=__proto__:Q1')).body.code, 'RECORD_INCOMPLETE');
    const whole = await apps.small.house.call('GET', '/api/v1/reports/works/view?record=quay:Q1', { as: owner });
    assert.equal(whole.body.code, 'INPUT_INVALID');
  });

  it('is tried out: the filter in words, the rows left, what is near, under the own rows', async () => {
    const good = await tryIt({ quay: 'Q1' });
    assert.deepEqual(good.fields, [{ name: 'quay', dataset: 'works', type: 'text', column: 'quay' }]);
    assert.equal(good.datasets[0]!.rows, 10);
    assert.ok(good.datasets[0]!.limits.some((one) => one.words.includes('Q1')));
    assert.ok(good.view);
    const near = await tryIt({ quay: 'q1' });
    assert.equal(near.datasets[0]!.rows, 0);
    assert.deepEqual(near.nearest['quay']?.[0], 'Q1');
    // Values that somebody may not see are not told as near ones.
    assert.ok(!JSON.stringify((await tryIt({ quay: 'q2' }, reader)).nearest).includes('Q2'));
    assert.equal((await tryIt({})).refused?.code, 'RECORD_INCOMPLETE');
    // Whom it is not for hears neither of it nor of what stands behind its name.
    await apps.small.fine('POST', '/api/v1/reports', { definition: report({ name: 'secret' }), notes: '' }, owner);
    await apps.place('secret-place', { report: 'secret' });
    const path = (name: string) => `/api/v1/placements/${name}/test`;
    const closed = await apps.small.house.call('POST', path('secret-place'), { as: reader, body: {} });
    const missing = await apps.small.house.call('POST', path('no-place'), { as: reader, body: {} });
    assert.equal(closed.text.replaceAll('secret-place', 'x'), missing.text.replaceAll('no-place', 'x'));
    const body = { name: 'fresh', kind: 'app', title: 'Fresh', report: 'works', record: { quay: 'Q1' } };
    const fresh = (where: object, as = owner) =>
      apps.small.house.call('POST', '/api/v1/placements/test', { as, body: { ...body, where } });
    assert.equal((await fresh({ works: "quay = record('quay')" })).status, 200);
    assert.equal((await fresh({ works: "quay = record('quay')" }, reader)).body.code, 'NOT_ALLOWED');
    assert.equal((await fresh({ wroks: 'TRUE' })).body['nearest' as never]?.[0], 'works');
    assert.equal((await apps.small.house.call('GET', '/api/v1/placements/fresh', { as: owner })).status, 404);
  });

  it('gives what to paste, which works as it stands', async () => {
    const { body } = await apps.small.fine('GET', '/api/v1/placements/quay-record', undefined, owner);
    const { beside } = body as unknown as { beside: { lines: Record<'node' | 'curl' | 'frame' | 'element', string> } };
    assert.match(beside.lines.frame, /record=quay:VALUE/);
    const { execFile, spawn } = await import('node:child_process');
    const { promisify } = await import('node:util');
    const [id, secret] = Buffer.from(apps.basic.slice(6), 'base64').toString().split(':') as [string, string];
    const env = { ...process.env, CLIENT_ID: id, CLIENT_SECRET: secret };
    const said = await promisify(execFile)('sh', ['-c', beside.lines.curl], { env: { ...env, RECORD_QUAY: 'Q1' } });
    const { access_token: token } = JSON.parse(said.stdout) as { access_token: string };
    assert.ok(rowsOf(await apps.look({ token }), 'rows').every((row) => row[1] === 'Q1'));
    // The server's lines, run by Node as they are.
    const { ownPorts } = await import('../ports.ts');
    const port = await ownPorts();
    const host = spawn(process.execPath, ['--input-type=module', '-e', beside.lines.node], {
      env: { ...env, PORT: String(port) },
      stdio: 'ignore',
    });
    try {
      const { until } = await import('../house.ts');
      const answer = await until(() =>
        fetch(`http://127.0.0.1:${port}/report-token?quay=Q1&else=x`).catch(() => undefined),
      );
      const given = (await answer.json()) as { access_token: string };
      assert.equal(rowsOf(await apps.look({ token: given.access_token }), 'rows').length, 10);
      const fresh = await fetch(`http://127.0.0.1:${port}/report-token`);
      assert.equal(((await fresh.json()) as { code: string }).code, 'RECORD_INCOMPLETE');
    } finally {
      host.kill('SIGTERM');
    }
  });

  it('is seen through others’ eyes with its record, by who may look at the rows', async () => {
    const see = (as: string) =>
      apps.small.house.call(
        'GET',
        `/api/v1/reports/works/preview-as?${new URLSearchParams({ as: JSON.stringify({ client: 'works-app', placement: 'quay-record', details: { context: { quay: 'Q2' } } }) })}`,
        { as },
      );
    assert.notEqual((await see(reader)).status, 200);
    assert.ok([200, 400].includes((await see(author)).status));
  });
});
