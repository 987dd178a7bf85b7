import assert from 'node:assert/strict';
import { existsSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { after, before, describe, it } from 'node:test';
import pg from 'pg';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { findDatasetRow } from '../../src/dataset/index.ts';
import { examineInThread } from '../../src/dataset/upload.ts';
import { receiveFile, refuseSpace } from '../../src/platform/index.ts';
import { checkSources, enqueueDue } from '../../src/refresh/jobs.ts';
import { connectLive } from '../../src/source/index.ts';
import { House, publisher, until } from '../house.ts';

interface Shown {
  readonly revisions: {
    number: number;
    state: string;
    rows: number;
    isCurrent: boolean;
    cause: string;
    impact?: { user: string; what: string }[];
  }[];
  readonly columns: { name: string; type: string; label?: string }[];
  readonly sql: string;
  readonly staleSince?: string;
  readonly nextRefreshAt: string | null;
}

/** What the clock brings. */
async function clockOnce(app: House['app']): Promise<void> {
  await enqueueDue(app);
  await checkSources(app);
}

describe('refreshing', () => {
  let house: House;
  let database: pg.Client;
  let now = Date.parse('2026-11-23T09:00:00Z');
  const name = `refresh_${Date.now()}`;
  before(async () => {
    house = await House.open({ hasDemo: true, now: () => now });
    const admin = new pg.Client({ connectionString: process.env['UNDERBELL_TEST_DATABASE']! });
    await admin.connect();
    await admin.query(`CREATE DATABASE ${name}`);
    await admin.end();
    const url = new URL(process.env['UNDERBELL_TEST_DATABASE']!);
    url.pathname = `/${name}`;
    database = new pg.Client({ connectionString: url.toString() });
    await database.connect();
    await database.query(
      "CREATE TABLE t (quay_id text, kind text, amount integer, day date); INSERT INTO t SELECT 'Q00' || n % 3, 'k', n, '2026-10-01' FROM generate_series(1, 90) n",
    );
    await database.query(`CREATE ROLE ${name} LOGIN PASSWORD 'reads'`);
    // What is made later as well.
    await database.query(
      `GRANT SELECT ON ALL TABLES IN SCHEMA public TO ${name}; ALTER DEFAULT PRIVILEGES GRANT SELECT ON TABLES TO ${name}`,
    );
    [url.username, url.password] = [name, 'reads'];
    const put = (path: string, body: object) => house.call('PUT', path, { as: publisher, body });
    assert.equal((await put('/api/v1/sources/works', { url: url.toString() })).status, 200);
    const spec = {
      source: 'works',
      sql: 'SELECT * FROM t',
      columns: [{ name: 'quay_id', key: 'quay', label: 'Quay' }],
    };
    assert.equal((await put('/api/v1/datasets/parts', spec)).status, 200);
    const report = {
      format: 'underbell-report/1',
      name: 'parts',
      title: 'Parts',
      datasets: { parts: {} },
      measures: { amount: { label: 'Amount', expression: 'sum(amount)' } },
      pages: [
        {
          name: 'p',
          title: 'P',
          figures: [
            {
              kind: 'bar',
              name: 'b',
              title: 'B',
              by: 'kind',
              measure: 'amount',
              at: { column: 1, row: 1, width: 6, height: 4 },
            },
          ],
        },
      ],
    };
    assert.equal(
      (await house.call('POST', '/api/v1/reports', { as: publisher, body: { definition: report } })).status,
      201,
    );
  });
  after(async () => {
    await database.end();
    await house.close();
    const admin = new pg.Client({ connectionString: process.env['UNDERBELL_TEST_DATABASE']! });
    await admin.connect();
    await admin.query(`DROP DATABASE ${name} WITH (FORCE)`);
    await admin.end();
  });
  const show = async (dataset = 'parts') =>
    (await house.call('GET', `/api/v1/datasets/${dataset}`, { as: publisher })).body as unknown as Shown;
  const refresh = (query = '') => house.call('POST', `/api/v1/datasets/parts/refresh${query}`, { as: publisher });
  const amount = async () => {
    const { body, text } = await house.call('GET', '/api/v1/reports/parts/view', { as: publisher });
    const results = (body as unknown as { results?: Record<string, { rows: unknown[][] }> }).results;
    assert.ok(results, text);
    return results['b']!.rows[0]![1];
  };

  it('shows the new rows at once, and keeps the history', async () => {
    assert.equal(await amount(), 4095);
    await database.query("INSERT INTO t VALUES ('Q001', 'k', 5, '2026-10-02')");
    assert.equal((await refresh()).status, 200);
    assert.equal(await amount(), 4100);
    const { revisions } = await show();
    assert.deepEqual(
      revisions.map((one) => [one.number, one.isCurrent, one.rows]),
      [
        [2, true, 91],
        [1, false, 90],
      ],
    );
  });

  it('takes new columns along, and keeps what was said of the old ones', async () => {
    await database.query('ALTER TABLE t ADD note text');
    assert.equal((await refresh()).status, 200);
    const { columns } = await show();
    assert.equal(columns.find((one) => one.name === 'quay_id')?.label, 'Quay');
    assert.ok(columns.some((one) => one.name === 'note'));
  });

  it('refuses a swap that would break a report, lists it, marks the dataset stale, and loads it when forced', async () => {
    await database.query('ALTER TABLE t DROP COLUMN kind');
    const { status, body } = await refresh();
    assert.deepEqual([status, body['code']], [409, 'REFRESH_BREAKS']);
    assert.equal((body as unknown as { problems: { at: string }[] }).problems[0]!.at, 'report parts');
    assert.equal(await amount(), 4100);
    const shown = await show();
    assert.equal(shown.revisions[0]!.state, 'refused');
    assert.match(shown.revisions[0]!.impact![0]!.what, /no column “kind”/);
    assert.ok(shown.staleSince);
    const view = await house.call('GET', '/api/v1/reports/parts/view', { as: publisher });
    assert.ok((view.body as unknown as { datasets: { staleSince?: string }[] }).datasets[0]!.staleSince);
    assert.equal((await refresh('?force=true')).status, 200);
    assert.equal((await show()).staleSince, undefined);
    await database.query("ALTER TABLE t ADD kind text DEFAULT 'k'");
    assert.equal((await refresh()).status, 200);
  });

  it('leaves the old rows in place when the source fails, and tells the owner once', async () => {
    await database.query('ALTER TABLE t RENAME TO gone');
    now += 60_000;
    const due = { rule: 'FREQ=HOURLY;BYMINUTE=30', start: '2026-11-01T00:30', timeZone: 'Europe/London' };
    assert.equal(
      (await house.call('PUT', '/api/v1/datasets/parts/schedule', { as: publisher, body: { schedule: due } })).status,
      200,
    );
    assert.equal((await show()).nextRefreshAt, '2026-11-23T09:30:00.000Z');
    now = Date.parse('2026-11-23T09:30:01Z');
    await clockOnce(house.app);
    await clockOnce(house.app);
    await until(async () => (await show()).staleSince !== undefined);
    const { revisions, nextRefreshAt } = await show();
    assert.equal(nextRefreshAt, '2026-11-23T10:30:00.000Z');
    assert.deepEqual(
      [(await show()).staleSince !== undefined, revisions.find((one) => one.isCurrent)!.state],
      [true, 'ready'],
    );
    assert.equal(await amount(), 4100);
    const jobs = await house.app.records.query("SELECT count(*)::int AS n FROM jobs WHERE kind = 'dataset.refresh'");
    assert.deepEqual(jobs[0], [{ n: 1 }]);
    const letters = await house.app.records.query(
      "SELECT payload->>'subject' AS subject FROM jobs WHERE kind = 'notice.mail' AND payload->>'to' = 'mara.venn@skerrow.example' AND payload->>'subject' LIKE '%parts%'",
    );
    assert.deepEqual(letters[0], [{ subject: 'Refresh failed: parts' }]);
    await database.query('ALTER TABLE gone RENAME TO t');
  });

  it('warns the owner once that a source lets nobody in, however many workers look at the same moment', async () => {
    const { records } = house.app;
    await database.query(`ALTER ROLE ${name} NOLOGIN`);
    await records.query("UPDATE sources SET checked_at = NULL, check_error = NULL WHERE name = 'works'");
    await Promise.all([1, 2, 3, 4].map(() => checkSources(house.app)));
    const warned = await records.query(
      "SELECT count(*)::int AS n FROM jobs WHERE kind = 'notice.mail' AND payload->>'subject' = 'Data source not reachable: works'",
    );
    assert.deepEqual(warned[0], [{ n: 1 }]);
    await database.query(`ALTER ROLE ${name} LOGIN`);
  });

  it('is called by its secret address, and by no other', async () => {
    const made = await house.call('POST', '/api/v1/datasets/parts/webhook', { as: publisher });
    const url = (made.body as unknown as { url: string }).url;
    const path = new URL(url).pathname;
    assert.equal((await house.call('POST', `${path}x`)).status, 404);
    const before = (await show()).revisions[0]!.number;
    assert.equal((await house.call('POST', path)).status, 202);
    await until(async () => (await show()).revisions[0]!.number !== before);
    assert.equal((await show()).revisions[0]!.cause, 'webhook');
    assert.equal((await house.call('DELETE', '/api/v1/datasets/parts/webhook', { as: publisher })).status, 204);
    assert.equal((await house.call('POST', path)).status, 404);
    assert.equal((await findDatasetRow(house.app, 'parts'))?.hookFingerprint, null);
  });

  it('waits for nobody: a second load while one is under way is refused', async () => {
    const lock = new pg.Client({ connectionString: house.app.settings.databaseUrl });
    await lock.connect();
    await lock.query("SELECT pg_advisory_lock(730002, hashtext('parts'))");
    const { status, body } = await refresh();
    assert.deepEqual([status, body['code']], [409, 'REFRESH_ACTIVE']);
    await lock.end();
  });

  it('stops when it is asked to, also at the source, and the old rows stay', { timeout: 120_000 }, async () => {
    const before = await amount();
    const { columns } = await show();
    // It computes for hours before its first row comes: whoever only looked at rows would never stop it.
    const slow = 'SELECT t.*, pg_sleep(3600)::text AS pause FROM t';
    const notes = columns.filter((one) => one.name === 'quay_id').map(() => ({ name: 'quay_id', key: 'quay' }));
    const loading = house.call('PUT', '/api/v1/datasets/parts', {
      as: publisher,
      body: { source: 'works', sql: slow, columns: notes },
    });
    const stop = () => house.call('POST', '/api/v1/datasets/parts/cancel-refresh', { as: publisher });
    await until(async () => (await stop()).status === 200);
    assert.equal((await loading).body['code'], 'REFRESH_CANCELLED');
    const computing =
      "SELECT count(*)::int AS n FROM pg_stat_activity WHERE query LIKE 'COPY%pg_sleep(3600)%' AND state = 'active'";
    await until(async () => ((await database.query<{ n: number }>(computing)).rows[0]!.n === 0 ? true : undefined));
    assert.equal((await show()).revisions[0]!.state, 'stopped');
    assert.equal(await amount(), before);
    assert.doesNotMatch((await show()).sql, /pg_sleep/, 'what was not loaded is not its definition either');
    // What was said of columns stays with them, whoever changes the SQL alone.
    const said = (await show()).columns;
    const back = { source: 'works', sql: 'SELECT * FROM t' };
    assert.equal((await house.call('PUT', '/api/v1/datasets/parts', { as: publisher, body: back })).status, 200);
    assert.deepEqual((await show()).columns, said);
    assert.ok(
      said.some((one) => JSON.stringify(one).includes('"key":"quay"')),
      JSON.stringify(said),
    );
  });

  it('types the columns of a dataset that was a file anew when it becomes SQL, and keeps their labels', async () => {
    const csv = 'amount,kind\nmany,1\n';
    const at = '/api/v1/datasets/loose';
    assert.equal((await house.call('PUT', `${at}/file`, { as: publisher, csv })).status, 200);
    const labels = { columns: [{ name: 'amount', label: 'Amount of parts' }] };
    assert.equal((await house.call('PUT', `${at}/columns`, { as: publisher, body: labels })).status, 200);
    const spec = { source: 'works', sql: 'SELECT amount, kind FROM t' };
    const saved = await house.call('PUT', at, { as: publisher, body: spec });
    assert.equal(saved.status, 200, saved.text);
    const columns = (await show('loose')).columns.map(({ name: column, type, label }) => [column, type, label]);
    assert.deepEqual(columns, [['amount', 'integer', 'Amount of parts'], ['kind', 'text', undefined]]); // prettier-ignore
  });

  it('refuses a schedule that is none', async () => {
    const schedule = {
      rule: 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30',
      start: '2026-11-01T00:00',
      timeZone: 'Europe/London',
    };
    const { body } = await house.call('PUT', '/api/v1/datasets/parts/schedule', { as: publisher, body: { schedule } });
    assert.equal(body['code'], 'SCHEDULE_NEVER');
  });

  it('a live dataset asks its source, under the same rules', async () => {
    const spec = {
      source: 'works',
      sql: 'SELECT quay_id, amount, day FROM t',
      columns: [{ name: 'quay_id', key: 'quay' }],
      kind: 'live',
      keepSeconds: 0,
    };
    assert.equal((await house.call('PUT', '/api/v1/datasets/now', { as: publisher, body: spec })).status, 200);
    const count = async () => (await house.call('GET', '/api/v1/datasets/now/count', { as: publisher })).body['rows'];
    const all = await count();
    await database.query("INSERT INTO t (quay_id, amount) VALUES ('Q001', 1)");
    assert.equal(await count(), Number(all) + 1);
    const rule = { appliesTo: { kind: 'group', name: 'Publishers' }, where: "quay_id = 'Q001'" };
    assert.equal(
      (await house.call('PUT', '/api/v1/datasets/now/row-rules/one', { as: publisher, body: rule })).status,
      200,
    );
    const rows = await house.call('GET', '/api/v1/datasets/now/preview', { as: publisher });
    const seen = (rows.body as unknown as { rows: unknown[][] }).rows.map((row) => row[0]);
    assert.deepEqual([...new Set(seen)], ['Q001']);
    assert.equal(
      (await house.call('POST', '/api/v1/datasets/now/refresh', { as: publisher })).body['code'],
      'DATASET_INVALID',
    );
    // The connection may read, whatever the query says.
    const evil = await house.call('PUT', '/api/v1/datasets/evil', {
      as: publisher,
      body: { ...spec, sql: 'WITH x AS (DELETE FROM t RETURNING *) SELECT * FROM x' },
    });
    assert.equal(evil.body['code'], 'SOURCE_REFUSED');
  });

  it('a live dataset answers readers while planned work asks its source as much as it may', async () => {
    const { app } = house;
    const scans = await Promise.all(
      Array.from({ length: app.settings.connections.planned }, () => connectLive(app, 'works', 'planned')),
    );
    const asked = scans.map((client) => client.query('SELECT pg_sleep(600)').catch((error: Error) => error));
    const answer = await house.call('GET', '/api/v1/datasets/now/preview', { as: publisher });
    const reader = await connectLive(app, 'works', 'readers');
    const limit = async (client: typeof reader) =>
      (await client.query<{ statement_timeout: string }>('SHOW statement_timeout')).rows[0]!.statement_timeout;
    const readersLimit = await limit(reader);
    reader.release();
    await database.query(
      "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'underbell live planned' AND query = 'SELECT pg_sleep(600)'",
    );
    const ended = await Promise.all(asked);
    assert.ok(ended.every((one) => one instanceof Error));
    for (const client of scans) client.release(true);
    // Only now that nothing holds the process up any more.
    assert.equal(answer.status, 200, answer.text);
    assert.equal(readersLimit, '30s');
    const scan = await connectLive(app, 'works', 'planned');
    const scansLimit = await limit(scan);
    scan.release();
    assert.equal(scansLimit, '0', 'a scan takes as long as it takes');
  });

  it('a profile says what stands in each column', async () => {
    const { body } = await house.call('GET', '/api/v1/datasets/parts/profile', { as: publisher });
    const columns = (
      body as unknown as {
        columns: { name: string; missing: number; distinct: number; smallest: string; frequent: { value: string }[] }[];
      }
    ).columns;
    const quay = columns.find((one) => one.name === 'quay_id')!;
    assert.deepEqual([quay.missing, quay.distinct, quay.smallest], [0, 3, 'Q000']);
    assert.equal(quay.frequent.length, 3);
  });
});

describe('uploads', () => {
  let house: House;
  before(async () => (house = await House.open({ hasDemo: true })));
  after(() => house.close());
  const send = async (file: string, content: string | Buffer) => {
    const answer = await fetch(`${house.url}/api/v1/uploads?file=${file}`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${await house.keyOf(publisher)}`, 'Content-Type': 'application/octet-stream' },
      body: new Uint8Array(Buffer.from(content)),
    });
    return {
      status: answer.status,
      body: (await answer.json()) as {
        id: string;
        kind: string;
        rows: number;
        code?: string;
        columns: {
          name: string;
          type: string;
          missing: number;
          misfits: { type: string; count: number; first: { row: number }[] }[];
        }[];
      },
    };
  };
  const load = (id: string, body: object) =>
    house.call('POST', `/api/v1/uploads/${id}/import`, { as: publisher, body });

  it('are refused as what they are when the disk is full, while they come and while they are looked at', async (t) => {
    if (!existsSync('/dev/full')) return t.skip('there is no /dev/full here');
    const bound = { maxBytes: 100, tooLarge: new Refusal('INPUT_TOO_LARGE', 'too large') };
    const received = receiveFile(Readable.from([Buffer.from('a\n1\n')]), '/dev/full', bound);
    await assert.rejects(received, (error) => isRefusal(refuseSpace(error), 'DISK_FULL'));
    const folder = mkdtempSync(join(tmpdir(), 'underbell-full-'));
    try {
      writeFileSync(join(folder, 'file'), '{"a": 1}\n');
      symlinkSync('/dev/full', join(folder, 'rows.csv'));
      const task = { folder, raw: join(folder, 'file'), fileName: 'a.jsonl', limits: house.app.settings.uploads };
      await assert.rejects(examineInThread({ ...task, said: {}, known: {} }), (error) => isRefusal(error, 'DISK_FULL'));
    } finally {
      rmSync(folder, { recursive: true });
    }
  });

  it('are looked at cell by cell before anything is stored', async () => {
    const { body } = await send('stock.csv', 'Code,Amount,Day\n007,1,2026-10-01\n008,x,\n');
    assert.deepEqual(
      [body.kind, body.rows, body.columns.map((one) => `${one.name} ${one.type}`)],
      ['csv', 2, ['code text', 'amount text', 'day date']],
    );
    assert.deepEqual(body.columns[1]!.misfits.find((one) => one.type === 'integer')?.first, [
      { row: 2, value: 'x' },
    ] as never);
    assert.equal((await house.call('GET', '/api/v1/datasets/stock', { as: publisher })).status, 404);
    const refused = await load(body.id, { name: 'stock', columns: [{ name: 'amount', type: 'integer' }] });
    assert.equal(refused.body['code'], 'CELLS_INVALID');
    const loaded = await load(body.id, {
      name: 'stock',
      title: 'Stock',
      columns: [{ name: 'amount', type: 'integer' }],
      badCells: 'empty',
    });
    assert.equal(loaded.status, 200, loaded.text);
    const { rows } = (await house.call('GET', '/api/v1/datasets/stock/preview', { as: publisher })).body as unknown as {
      rows: unknown[][];
    };
    assert.deepEqual(rows, [
      ['007', 1, '2026-10-01'],
      ['008', null, null],
    ]);
    assert.equal((await load(body.id, { name: 'stock' })).status, 404);
  });

  it('may be JSON Lines, with columns that come later', async () => {
    const { body } = await send('x.jsonl', '{"a":1}\n\n{"a":2,"b":"two, with a comma"}\n');
    assert.deepEqual(
      [body.kind, body.rows, body.columns.map((one) => `${one.name} ${one.type} ${one.missing}`)],
      ['jsonl', 2, ['a integer 0', 'b text 1']],
    );
    assert.equal((await send('x.jsonl', '{"a":1}\n{oops')).body.code, 'FILE_MALFORMED');
  });

  it('may be workbooks, also those that the service itself writes', async () => {
    const { writeWorkbook } = await import('@underbell/core/workbook');
    const columns = [
      { heading: 'Quay', type: 'text' },
      { heading: 'Amount', type: 'number' },
      { heading: 'Day', type: 'date' },
    ] as const;
    const bytes = writeWorkbook(
      [
        {
          title: 'S',
          columns: [...columns],
          rows: [
            ['Q001', 1.5, '2026-10-01'],
            ['Q002', null, '2026-10-02'],
          ],
        },
      ],
      { title: 'S', notes: [] },
    );
    const { body } = await send('s.xlsx', bytes);
    assert.deepEqual(
      [body.kind, body.rows, body.columns.map((one) => `${one.name} ${one.type}`)],
      ['xlsx', 2, ['quay text', 'amount number', 'day date']],
    );
  });

  it('of other kinds are refused', async () => {
    assert.equal((await send('x.bin', Buffer.from([1, 0, 2, 0]))).body.code, 'FILE_KIND_UNKNOWN');
    assert.equal((await send('x.csv', '')).body.code, 'FILE_EMPTY');
    assert.equal((await send('x.csv', 'a,b\n1\n')).body.code, 'FILE_RAGGED');
    assert.equal((await send('x.xlsx', 'PK\u0003\u0004nonsense')).body.code, 'FILE_MALFORMED');
  });
});
