import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { until } from '../house.ts';
import { author, owner, password, reader, report, root, SmallHouse } from '../smallHouse.ts';

interface Door {
  readonly kind: string;
  readonly id: string;
  readonly to: string;
  readonly ending: string;
  readonly title: string;
  readonly lastUsedAt: string | null;
  readonly limits: string;
  readonly mayEnd: boolean;
}

describe('everything that was handed out', () => {
  let small: SmallHouse;
  let token = '';
  before(async () => {
    small = await SmallHouse.open();
    await small.fine('PUT', '/api/v1/placements/wall', { kind: 'portal', title: '=Wall', report: 'works' }, author);
    const client = { id: 'portal', title: 'Portal', reports: ['works'], actions: ['view'], mayNamePersons: false };
    await small.fine('POST', '/api/v1/clients', client, owner);
    const minted = await small.fine(
      'POST',
      '/api/v1/tokens',
      { client: 'portal', report: 'works', where: { works: "quay = 'Q3'" } },
      owner,
    );
    token = (minted.body as unknown as { access_token: string }).access_token;
    const guest = { email: 'guest@else.example', name: 'Guest', kind: 'guest', organisation: 'Elsewhere' };
    await small.house.call('POST', '/api/v1/invitations', { as: root, body: guest });
    await small.fine('POST', '/api/v1/calendar-feed', {}, author);
  });
  after(() => small.close());
  const list = async (as: string, query = '') =>
    (
      (await small.house.call('GET', `/api/v1/active-access${query}`, { as })).body as unknown as {
        open: readonly Door[];
      }
    ).open;
  const end = (as: string, ...doors: { kind: string; id: string }[]) =>
    small.house.call('POST', '/api/v1/active-access/revoke', {
      as,
      body: { doors: doors.map(({ kind, id }) => ({ kind, id })) },
    });
  const kindsOf = (doors: readonly Door[]) => [...new Set(doors.map((one) => one.kind))].sort();
  const view = async () =>
    (await fetch(`${small.house.url}/api/v1/placements/wall/view`, { headers: { Authorization: `Bearer ${token}` } }))
      .status;

  it('is all on one list for administrators, and for others what is theirs', async () => {
    assert.ok(kindsOf(await list(root)).includes('signing key'));
    assert.deepEqual(kindsOf(await list(reader)), ['session']);
    assert.ok(kindsOf(await list(owner)).includes('access token'));
    const authors = await list(author);
    assert.ok(authors.some((one) => one.kind === 'placement' && one.id === 'wall'));
    assert.ok(authors.some((one) => one.kind === 'calendar'));
    assert.ok(!authors.some((one) => one.kind === 'signing key' || one.kind === 'invitation'));
    for (const one of await list(root)) assert.notEqual(one.ending, '', 'it says what stops');
  });

  it('tells no secret, and no filter to whom does not decide about the data', async () => {
    for (const as of [root, owner, author]) {
      const text = JSON.stringify(await list(as));
      for (const secret of ['sealed', 'fingerprint', 'ub_', 'eyJ', 'password'])
        assert.ok(!text.includes(secret), `${as}: ${secret}`);
    }
    const seen = (await list(author)).filter((one) => one.kind === 'access token');
    assert.ok(seen.every((one) => !one.limits.includes('Q3')));
    assert.ok((await list(owner)).some((one) => one.limits.includes('Q3')));
  });

  it('shows where one is signed in, and ends that at once: one’s own, and everybody’s for administrators', async () => {
    const sessionsOf = async (as: string) => (await list(as)).filter((one) => one.kind === 'session');
    const own = await sessionsOf(reader);
    assert.ok(own.every((one) => one.to === reader));
    const all = await sessionsOf(root);
    assert.ok(new Set(all.map((one) => one.to)).size > 1);
    const theirs = all.find((one) => one.to === author)!;
    assert.equal(((await end(reader, theirs)).body as unknown as { ended: number }).ended, 0);
    const before = new Set(own.map((one) => one.id));
    const signedIn = await small.house.call('POST', '/api/v1/session', {
      body: { email: reader, password: password, kind: 'command line' },
    });
    const { key } = signedIn.body as unknown as { key: string };
    const ask = async () => (await small.house.call('GET', '/api/v1/session', { token: key })).status;
    assert.equal(await ask(), 200);
    const found = await until(async () =>
      (await sessionsOf(reader)).find((one) => !before.has(one.id) && one.lastUsedAt !== null),
    );
    assert.ok(!JSON.stringify(found).includes(key));
    assert.match(found.title, /command line/);
    assert.equal(((await end(reader, found)).body as unknown as { ended: number }).ended, 1);
    assert.equal(await ask(), 401);
  });

  it('says when a token was used last', async () => {
    assert.equal(await view(), 200);
    await until(async () => (await list(owner)).some((one) => one.kind === 'access token' && one.lastUsedAt !== null));
  });

  it('ends none of several where one is of a kind that is not ended here', async () => {
    const [wall] = await list(author, '?kind=placement');
    const refused = await end(root, wall!, { kind: 'signing key', id: 'any' });
    assert.deepEqual([refused.status, refused.body.code], [404, 'NOT_FOUND']);
    assert.deepEqual((await list(author, '?kind=placement')).length, 1);
  });

  it('ends guests by their kind, and no one else', async () => {
    const { body } = await end(root, { kind: 'guest', id: author });
    assert.equal((body as unknown as { ended: number }).ended, 0);
    assert.ok((await list(author)).length > 0, 'still here');
  });

  it('is filtered by kind, person, thing, age and use, and refuses what it does not know', async () => {
    assert.deepEqual(kindsOf(await list(root, '?kind=placement')), ['placement']);
    assert.ok((await list(root, '?person=portal')).every((one) => one.to.includes('portal')));
    assert.deepEqual(kindsOf(await list(owner, '?of=report%20works&kind=access%20token')), ['access token']);
    assert.deepEqual(await list(root, '?olderThanDays=1'), []);
    const unused = await list(root, '?unusedDays=0&kind=placement');
    assert.equal(unused.length, 1);
    for (const query of ['?kind=plecement', '?unusedDays=-1', '?unusedDays=x', '?nothing=1'])
      assert.equal((await small.house.call('GET', `/api/v1/active-access${query}`, { as: root })).status, 400, query);
    assert.equal((await small.house.call('GET', '/api/v1/active-access')).status, 401);
  });

  it('is a file for spreadsheets that computes nothing', async () => {
    const { text } = await small.house.call('GET', '/api/v1/active-access?format=csv&kind=placement', { as: author });
    const [, line] = text.split('\r\n');
    assert.match(line!, /^placement,wall,'=Wall,/);
  });

  it('is ended with the own rights alone, each on its own, and counts at once', async () => {
    assert.equal(await view(), 200);
    const [mine] = (await list(owner)).filter((one) => one.kind === 'access token');
    const stranger = (await end(reader, mine!)).body as unknown as { ended: number; problems: unknown[] };
    assert.deepEqual([stranger.ended, stranger.problems.length], [0, 1]);
    assert.equal(await view(), 200);
    const answer = (await end(owner, mine!, { kind: 'placement', id: 'nothing' })).body as unknown as {
      ended: number;
      problems: { id: string }[];
    };
    assert.deepEqual([answer.ended, answer.problems.map((one) => one.id)], [1, ['nothing']]);
    assert.equal(await view(), 401);
    assert.equal((await end(root, { kind: 'signing key', id: 'x' })).body.code, 'NOT_FOUND');
    assert.equal((await end(author, { kind: 'placement', id: 'wall' })).status, 200);
    assert.ok(!(await list(author)).some((one) => one.kind === 'placement'));
    const calendar = (await list(author)).find((one) => one.kind === 'calendar')!;
    assert.deepEqual((await end(reader, calendar)).body['ended' as never], 0);
    assert.deepEqual((await end(author, calendar)).body['ended' as never], 1);
  });

  it('is written into the log, which administrators read by who, what and thing', async () => {
    const read = (query: string, as = root) => small.house.call('GET', `/api/v1/audit-log${query}`, { as });
    const { body } = await read('?thing=placement%20wall&what=suspended');
    const { entries } = body as unknown as { entries: { who: string; id: number }[] };
    assert.deepEqual(
      entries.map((one) => one.who),
      [author],
    );
    assert.equal((await read('', owner)).body.code, 'NOT_ALLOWED');
    for (const query of ['?who=%25', '?who=_', `?who=${encodeURIComponent("' OR 1=1 --")}`])
      assert.deepEqual((await read(query)).body['entries' as never], [], query);
    const older = (await read(`?before=${entries[0]!.id}&limit=2`)).body as unknown as typeof body & {
      entries: { id: number }[];
    };
    assert.ok(older.entries.every((one) => one.id < entries[0]!.id));
  });

  it('is told in full while the report of one token lies in the trash', async () => {
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'short-lived' }), notes: '' }, owner);
    const second = {
      id: 'second',
      title: 'Second',
      reports: ['short-lived'],
      actions: ['view'],
      mayNamePersons: false,
    };
    await small.fine('POST', '/api/v1/clients', second, owner);
    await small.fine(
      'POST',
      '/api/v1/tokens',
      { client: 'second', report: 'short-lived', where: { works: "quay = 'Q1'" } },
      owner,
    );
    await small.fine('DELETE', '/api/v1/reports/short-lived', undefined, owner);
    for (const as of [root, owner]) {
      assert.equal((await small.house.call('GET', '/api/v1/tokens', { as })).status, 200);
      const all = await small.house.call('GET', '/api/v1/active-access', { as });
      assert.deepEqual([all.status, all.body['failed']], [200, undefined], all.text);
      assert.ok(kindsOf(all.body['open'] as unknown as Door[]).length > 1, as);
    }
  });

  it('leaves out one kind alone that cannot be listed, and says which', async () => {
    const { app } = small.house;
    await app.records.query('ALTER TABLE calendars RENAME TO calendars_away');
    try {
      const all = await small.house.call('GET', '/api/v1/active-access', { as: root });
      assert.deepEqual([all.status, all.body['failed']], [200, ['calendar']], all.text);
      assert.ok(kindsOf(all.body['open'] as unknown as Door[]).includes('access token'));
      assert.equal(
        (await small.house.call('GET', '/api/v1/active-access?format=csv', { as: root })).status,
        500,
        'a file has no note',
      );
    } finally {
      await app.records.query('ALTER TABLE calendars_away RENAME TO calendars');
    }
  });

  it('lists every living token, however many are newer, page by page and each once', async () => {
    const { app } = small.house;
    const before = (await list(root)).filter((one) => one.kind === 'access token').length;
    // Two of each instant, and twice as many that were revoked.
    await app.records.query(
      `INSERT INTO access_tokens (id, client_id, details, issued_at, expires_at, revoked_at, root_id)
       SELECT 'made-' || i, 'portal', '{"type":"report_view","report":"works","actions":["view"]}'::json,
         now() - ((i / 2) || ' seconds')::interval, now() + interval '1 day', CASE WHEN i % 3 = 0 THEN NULL ELSE now() END, 'made-' || i
       FROM generate_series(1, 1500) AS i`,
    );
    assert.equal((await list(root)).filter((one) => one.kind === 'access token').length, before + 500);
    const ids: string[] = [];
    let pages = 0;
    for (let after = ''; ; pages++) {
      const page = await small.house.call('GET', `/api/v1/tokens${after && `?after=${after}`}`, { as: root });
      const { tokens, next } = page.body as unknown as { tokens: { id: string }[]; next?: string };
      ids.push(...tokens.map((one) => one.id));
      if (next === undefined) break;
      after = next;
    }
    assert.ok(pages >= 7 && ids.length >= 1_500, `${pages} pages, ${ids.length} tokens`);
    assert.equal(new Set(ids).size, ids.length);
    // Nothing of others' reports is paged either.
    assert.deepEqual((await small.house.call('GET', '/api/v1/tokens', { as: reader })).body, { tokens: [] });
    const wrong = await small.house.call('GET', '/api/v1/tokens?after=nonsense', { as: root });
    assert.deepEqual([wrong.status, wrong.body.code], [400, 'INPUT_INVALID']);
  });
});

describe('a definition that is not published', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());
  const preview = (as: string, body: object) => small.house.call('POST', '/api/v1/reports/preview', { as, body: body });

  it('is drawn with the own rows for who may publish it, and nothing of it is kept', async () => {
    const { report } = await import('../smallHouse.ts');
    const definition = report({ name: 'draft' });
    const mine = await preview(author, { definition });
    assert.equal(mine.status, 200, mine.text);
    const { view, datasets } = mine.body as unknown as {
      view: { results: Record<string, { rows: unknown[][] }> };
      datasets: { rows?: number; rowsTotal?: number }[];
    };
    assert.ok(view.results['rows']!.rows.every((row) => row[1] === 'Q1'));
    assert.equal(datasets[0]!.rows, view.results['count']!.rows[0]![0]);
    assert.notEqual(datasets[0]!.rowsTotal, 40, 'how many rows others have is not told');
    // Whose rows the author does not decide about are withheld, with their counts.
    const other = (await preview(author, { definition, as: reader })).body as unknown as {
      withheld?: string;
      view?: object;
      results: object;
    };
    assert.equal(other.view, undefined);
    assert.deepEqual(other.results, {});
    assert.ok(other.withheld);
    assert.equal((await small.house.call('GET', '/api/v1/reports/draft', { as: author })).status, 404);
  });

  it('is refused to who may not publish it, and with every mistake at its place', async () => {
    const { report } = await import('../smallHouse.ts');
    assert.equal((await preview(reader, { definition: report({ name: 'draft' }) })).body.code, 'NOT_ALLOWED');
    assert.equal((await preview(reader, { definition: report() })).body.code, 'NOT_ALLOWED');
    const wrong = await preview(author, { definition: report({}, { measure: 'rws' }) });
    assert.equal(wrong.body.code, 'REPORT_INVALID');
    assert.match(wrong.text, /pages\/0\/figures\/0\/measure/);
    assert.equal((await preview(author, { definition: report(), as: 'nobody@else.example' })).body.code, 'NOT_FOUND');
  });

  it('is told when another came in between', async () => {
    const { report } = await import('../smallHouse.ts');
    const publish = (changed: number) =>
      small.house.call('POST', '/api/v1/reports', {
        as: author,
        body: { definition: report({ title: `Works ${changed}` }), notes: '', changed },
      });
    assert.equal((await publish(1)).status, 201);
    const late = await publish(1);
    assert.deepEqual([late.status, late.body.code], [409, 'VERSION_CONFLICT']);
    const both = await Promise.all([publish(2), publish(2)]);
    assert.deepEqual(both.map((one) => one.status).sort(), [201, 409]);
  });
});
