import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { isOrigin } from '@underbell/core/access';
import { looksLikeFormula } from '@underbell/core/csv';
import { Refusal } from '@underbell/core/refusal';
import { limitFailures } from '../../src/platform/index.ts';
import { pageWith } from '../../src/platform/pages.ts';
import { author, owner, reader, report, root, SmallHouse, someWorks } from '../smallHouse.ts';

describe('pages', () => {
  const html = '<html><div id="app"></div></html>';

  it('hold what stands in their address as text alone, whatever it is', () => {
    const tries = ['$&', '$`', "$'", '$$', '"><script>alert(1)</script>', '&quot;', '<div id="app">', "'", '\u0000'];
    for (const name of tries) {
      const made = pageWith(html, { placement: name });
      const [, value] = /data-placement="([^"]*)"/.exec(made) ?? [];
      const read = value!
        .replaceAll('&lt;', '<')
        .replaceAll('&gt;', '>')
        .replaceAll('&quot;', '"')
        .replaceAll('&#39;', "'")
        .replaceAll('&amp;', '&');
      assert.equal(read, name);
      assert.equal(made.replace(/ data-placement="[^"]*"/, ''), html);
    }
  });
});

describe('origins', () => {
  it('are scheme, host and port, and nothing that means more in a policy', () => {
    for (const good of ['https://portal.example', 'http://127.0.0.1:7303', 'https://[::1]:8443', 'http://localhost'])
      assert.ok(isOrigin(good), good);
    for (const bad of [
      'https://*',
      'https://*.example',
      'http://a;sandbox',
      "http://a'self'",
      'http://a,b',
      'https://portal.example/',
      'https://portal.example:443',
      'ftp://portal.example',
      'https://user@portal.example',
      'http://a b',
      'null',
      '',
    ])
      assert.ok(!isOrigin(bad), bad);
  });
});

describe('cells of CSV', () => {
  it('are told to be formulas also behind what spreadsheets skip', () => {
    for (const text of [
      '=1',
      '+1',
      '-1',
      '@a',
      ' =1',
      '\n=1',
      '\t=1',
      '\u00a0=1',
      '\r=1',
      '\tx',
      '\ufeff=1',
      '＝1',
      '\u3000=1',
    ])
      assert.ok(looksLikeFormula(text), JSON.stringify(text));
    for (const text of ['a=1', 'x', '', ' x', '1-2']) assert.ok(!looksLikeFormula(text), JSON.stringify(text));
  });
});

describe('the service, from outside', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());
  const get = (path: string, as?: string) => small.house.call('GET', path, as ? { as } : {});

  it('serves no page with a name that is none', async () => {
    for (const path of ['/v/$&', '/r/%22%3E%3Cscript%3E', '/b/$%60', '/v/..%2f..'])
      assert.ok([404, 400].includes((await get(path)).status), path);
    const page = await get('/v/works');
    assert.equal(page.status, 200);
    assert.match(page.text, /data-placement="works"/);
  });

  it('takes no origin that a policy reads otherwise, and writes none that was saved before', async () => {
    const put = (origins: string[]) =>
      small.house.call('PUT', '/api/v1/placements/framed', {
        as: author,
        body: { kind: 'portal', title: 'Framed', report: 'works', origins },
      });
    for (const origin of ['https://*', 'http://a;sandbox', "https://x'unsafe-inline'"])
      assert.equal((await put([origin])).body.code, 'INPUT_INVALID', origin);
    assert.equal((await put(['https://portal.example'])).status, 200);
    await small.house.app.records.query(
      `UPDATE placements SET origins = '["http://a;sandbox", "https://*", "https://portal.example"]' WHERE name = 'framed'`,
    );
    const policy = (await get('/v/framed')).headers.get('content-security-policy')!;
    assert.match(policy, /frame-ancestors 'self' https:\/\/portal\.example$/);
  });

  it('guards cells of every CSV that leaves, also behind white space', async () => {
    const kinds = [' =1+1', '\n=cmd', '@x', 'plain', '\u3000=2', '\u2003-3', '-4'];
    await small.upload(someWorks.map((one, i) => ({ ...one, quay: 'Q1', kind: `"${kinds[i % kinds.length]!}"` })));
    const { text } = await get('/api/v1/datasets/works/rows?format=csv', reader);
    assert.ok(text.includes("' =1+1") && text.includes("'\n=cmd") && text.includes("'@x"), text.slice(0, 300));
    for (const kind of kinds) assert.equal(text.includes(`'${kind}`), kind !== 'plain', JSON.stringify(kind));
    await small.upload(someWorks);
    // A heading is an author's text as well.
    const [page] = report().pages;
    const measures = { ...report().measures, rows: { label: '=1+1', expression: 'count()', dataset: 'works' } };
    await small.fine(
      'POST',
      '/api/v1/reports',
      { definition: report({ name: 'headed', measures, pages: [page] }), notes: '' },
      author,
    );
    const headed = await small.house.call('POST', '/api/v1/reports/headed/export', {
      as: author,
      body: { format: 'csv', figure: 'by-kind' },
    });
    assert.match(headed.text, /,'=1\+1/, headed.text.slice(0, 200));
  });

  it('is not kept from who has a key by others at the same address who guess', async () => {
    const { app } = small.house;
    const wrong = () => Promise.reject(new Refusal('LINK_GONE', 'no such link'));
    const codes: string[] = [];
    for (let i = 0; i < 70; i++)
      codes.push(
        await limitFailures(app, 'link', '192.0.2.7', wrong).then(
          () => '',
          (error: Refusal) => error.code,
        ),
      );
    assert.deepEqual([codes[0], codes.at(-1)], ['LINK_GONE', 'RATE_LIMITED']);
    assert.equal(await limitFailures(app, 'link', '192.0.2.7', () => Promise.resolve('shown')), 'shown');
  });

  it('tells nobody the names of what they may not see', async () => {
    const admin = root;
    await small.fine('PUT', '/api/v1/folders/confidential', { title: 'Confidential' }, admin);
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'takeover' }), notes: '' }, owner);
    await small.fine(
      'PUT',
      '/api/v1/placements/secret-page',
      { kind: 'portal', title: 'Secret', report: 'takeover' },
      owner,
    );
    await small.fine('PUT', '/api/v1/clients/secret-host', { title: 'Host', reports: ['takeover'] }, owner);
    const pairs: readonly (readonly [string, string, string])[] = [
      ['DELETE', '/api/v1/usage-limits/confidentia', '/api/v1/usage-limits/confidential'],
      ['GET', '/api/v1/placements/secret-pag/view', '/api/v1/placements/secret-page/view'],
      ['DELETE', '/api/v1/clients/secret-hos', '/api/v1/clients/secret-host'],
      ['GET', '/api/v1/reports/takeove', '/api/v1/reports/takeover'],
      ['GET', '/api/v1/reports/takeove/view', '/api/v1/reports/takeover/view'],
      ['GET', '/api/v1/runs/2', '/api/v1/runs/1'],
      ['GET', '/api/v1/bursts/takeove', '/api/v1/bursts/takeover'],
    ];
    for (const [method, wrong, right] of pairs) {
      const [unknown, hidden] = await Promise.all(
        [wrong, right].map((path) => small.house.call(method, path, { as: reader })),
      );
      assert.equal(unknown!.status, 404, `${wrong}: ${unknown!.text}`);
      const name = (path: string) => path.split('/')[4]!;
      const same = (text: string, path: string) => text.replaceAll(name(path), 'NAME');
      assert.equal(same(hidden!.text, right), same(unknown!.text, wrong), right);
      assert.ok(!/takeover(?!e)|confidential"|secret-(page|host)"/.test(unknown!.text), `${wrong}: ${unknown!.text}`);
    }
    // Whoever may see something is still told what was probably meant.
    const mine = await get('/api/v1/reports/workz/view', reader);
    assert.deepEqual(mine.body.nearest, ['works']);
  });

  it('ends a stream of changes with the key that opened it', async () => {
    const client = await small.fine('PUT', '/api/v1/clients/host', { title: 'Host', reports: ['works'] }, owner);
    assert.ok(client);
    await small.fine('PUT', '/api/v1/placements/works', { kind: 'portal', title: 'Works', report: 'works' }, owner);
    const mint = async (lifetimeSeconds: number) => {
      const body = { client: 'host', report: 'works', where: { works: "quay = 'Q1'" }, lifetimeSeconds };
      const { text } = await small.fine('POST', '/api/v1/tokens', body, owner);
      return (JSON.parse(text) as { access_token: string }).access_token;
    };
    const listen = (jwt: string) =>
      fetch(`${small.house.url}/api/v1/placements/works/events`, { headers: { Authorization: `Bearer ${jwt}` } });
    // A busy machine may take longer to open it than the token lives.
    let short: Response | undefined;
    for (let lifetime = 1; !short?.ok; lifetime *= 2) short = await listen(await mint(lifetime));
    // It ends by itself; the words would hang if it did not.
    assert.match(await short.text(), /retry/);
    const revoked = await mint(600);
    const stream = await listen(revoked);
    const { tokens } = (await get('/api/v1/tokens', owner)).body as unknown as { tokens: { id: string }[] };
    await small.fine('DELETE', `/api/v1/tokens/${tokens[0]!.id}`, undefined, owner);
    await small.upload(someWorks);
    assert.ok(!(await stream.text()).includes('changed'));
  });

  it('opens so many streams for one person, and others still get theirs', async () => {
    const key = await small.house.keyOf(reader);
    const stop = new AbortController();
    const open = (bearer: string) =>
      fetch(`${small.house.url}/api/v1/reports/works/events`, {
        headers: { Authorization: `Bearer ${bearer}` },
        signal: stop.signal,
      });
    const answers = await Promise.all(Array.from({ length: 40 }, () => open(key)));
    const statuses = answers.map((one) => one.status);
    assert.equal(statuses.filter((one) => one === 200).length, 24);
    assert.ok(statuses.filter((one) => one !== 200).every((one) => one === 429));
    assert.equal((await open(await small.house.keyOf(author))).status, 200);
    stop.abort();
  });
});
