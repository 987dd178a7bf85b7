import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import pg from 'pg';
import { EffectiveFilter, stepCountsSql, rowsSql, type FilterSource } from '@underbell/core/access';
import type { DatasetShape } from '@underbell/core/dataset';
import { checkFilter, parseFilter, SettingBinder, StatementBinder, type SqlBinder } from '@underbell/core/filter';
import { House } from '../house.ts';

const dataset: DatasetShape = {
  name: 'works',
  columns: [
    { name: 'id', type: 'integer' },
    { name: 'quay', type: 'text', key: 'quay' },
    { name: 'kind', type: 'text' },
    { name: 'cost', type: 'number' },
  ],
};
const visible = 400;
const all = 20_000;

const part = (origin: FilterSource, text: string) => ({
  origin,
  name: origin,
  isFixed: origin !== 'reader',
  node: checkFilter(parseFilter(text), { dataset, text }),
});

/** Ways in which the fixed limits find their rows, each with what the database then says it does. */
const shapes: readonly {
  name: string;
  rule: string;
  settings: string;
  plan: RegExp;
  live?: boolean;
  copy?: boolean;
}[] = [
  {
    name: 'a sequential scan',
    rule: "quay = 'Q1'",
    settings: 'enable_indexscan=off,enable_bitmapscan=off',
    plan: /Seq Scan/,
  },
  { name: 'an index', rule: "quay = 'Q1'", settings: 'enable_seqscan=off,enable_bitmapscan=off', plan: /Index Scan/ },
  {
    name: 'a bitmap',
    rule: "quay = 'Q1'",
    settings: 'enable_seqscan=off,enable_indexscan=off',
    plan: /Bitmap Heap Scan/,
  },
  {
    name: 'several values',
    rule: "quay IN ('Q1', 'Q01', 'Q02')",
    settings: 'enable_indexscan=off,enable_bitmapscan=off',
    plan: /= ANY/,
  },
  {
    name: 'a hashed semi-join',
    rule: `quay IN ('Q1', ${Array.from({ length: 12 }, (_, i) => `'X${i}'`).join(', ')})`,
    settings: 'enable_nestloop=off,enable_mergejoin=off,enable_indexscan=off,enable_bitmapscan=off',
    plan: /Hash (Semi )?Join|hashed SubPlan/,
    copy: true,
  },
  {
    name: 'a nested semi-join',
    rule: `quay IN ('Q1', ${Array.from({ length: 12 }, (_, i) => `'X${i}'`).join(', ')})`,
    settings: 'enable_hashjoin=off,enable_mergejoin=off,enable_seqscan=on',
    plan: /Nested Loop/,
    copy: true,
  },
  {
    name: 'parallel workers',
    rule: "quay = 'Q1'",
    settings:
      'enable_indexscan=off,enable_bitmapscan=off,parallel_setup_cost=0,parallel_tuple_cost=0,min_parallel_table_scan_size=0',
    plan: /Gather/,
  },
  {
    name: 'a rule that costs more than the filter',
    rule: "CASEI(quay) = CASEI('Q1') AND id * 2 + 1 > 0",
    settings: 'enable_indexscan=off,enable_bitmapscan=off',
    plan: /Seq Scan/,
  },
  { name: 'a live source', rule: "quay = 'Q1'", settings: 'enable_indexscan=off', plan: /Scan/, live: true },
];

describe('the fence between fixed limits and what readers send', () => {
  let house: House;
  let client: pg.Client;

  before(async () => {
    house = await House.open();
    client = new pg.Client({ connectionString: house.app.settings.databaseUrl });
    await client.connect();
    await client.query(`
      CREATE TABLE works (id bigint, quay text COLLATE "C", kind text COLLATE "C", cost numeric);
      INSERT INTO works SELECT i, CASE WHEN i <= ${visible} THEN 'Q1' ELSE 'Q' || (2 + i % 50) END,
        CASE WHEN i <= ${visible} THEN 'own' ELSE 'foreign' END, i FROM generate_series(1, ${all}) i;
      CREATE INDEX ON works (quay);
      ANALYZE works;
      -- Stands before the database's own function of the name, costs nothing, and fails on a foreign row.
      CREATE SCHEMA spy;
      CREATE FUNCTION spy.lower(text) RETURNS text LANGUAGE plpgsql IMMUTABLE PARALLEL SAFE COST 0.0001 AS $$
        BEGIN
          IF $1 = 'foreign' THEN RAISE EXCEPTION 'evaluated on a foreign row'; END IF;
          RETURN pg_catalog.lower($1);
        END $$;
      SET search_path = spy, pg_catalog, public;
      SET track_functions = 'all';
    `);
  });
  after(async () => {
    await client.end();
    await house.close();
  });

  async function run(sql: string, binder: SqlBinder, settings: string): Promise<{ rows: unknown[][]; plan: string }> {
    await client.query('BEGIN');
    try {
      for (const one of settings.split(',')) await client.query(`SET LOCAL ${one.replace('=', ' = ')}`);
      if (binder instanceof SettingBinder)
        for (const { name, value } of binder.settings)
          await client.query('SELECT set_config($1, $2, true)', [name, value]);
      const values = binder instanceof StatementBinder ? [...binder.values] : [];
      const plan = await client.query<string[]>({ text: `EXPLAIN ${sql}`, values, rowMode: 'array' });
      const { rows } = await client.query<unknown[]>({ text: sql, values, rowMode: 'array' });
      return { rows, plan: plan.rows.flat().join('\n') };
    } finally {
      await client.query('ROLLBACK');
    }
  }

  const table = (isLive: boolean) =>
    isLive
      ? '(SELECT q.id, q.quay COLLATE "C" AS quay, q.kind COLLATE "C" AS kind, q.cost FROM (SELECT * FROM works) AS q) AS "live"'
      : 'works';

  /** Conditions of readers that fail on a foreign row, in every place where one can stand. */
  const probes = [
    "CASEI(kind) = CASEI('own')",
    "NOT (CASEI(kind) = CASEI('other'))",
    "id > 0 OR CASEI(kind) = CASEI('own')",
    "kind <> 'nothing' AND CASEI(kind) LIKE CASEI('o%')",
    "NOT (kind = 'foreign' AND CASEI(kind) <> 'x')",
  ];

  it('lets no condition of a reader run on a row that the fixed limits left out, whatever the plan', async (t) => {
    let looked = 0;
    for (const shape of shapes) {
      for (const text of probes) {
        const filter = EffectiveFilter.start({ dataset, parts: [part('row rule', shape.rule)] }).narrow(
          part('reader', text),
        );
        const binder = shape.copy ? new SettingBinder() : new StatementBinder();
        const { from, where } = rowsSql(filter, { table: table(shape.live === true), binder });
        const sql = `SELECT count(*)::int, min(cost)::float8 FROM ${from} WHERE ${where}`;
        // The rule itself may use the function: it is the dataset owner's, and these look at the quay alone.
        const { rows, plan } = await run(sql, binder, shape.settings);
        assert.deepEqual(rows, [[visible, 1]], `${shape.name}: ${text}`);
        assert.match(plan, shape.plan, `${shape.name}: ${plan}`);
        looked++;
      }
    }
    t.diagnostic(`${shapes.length} plans, ${looked} queries`);
  });

  it('would be told by these probes: without the fence they fail', async () => {
    const binder = new StatementBinder();
    // A rule that costs more than the condition beside it is looked at after it.
    const rule = EffectiveFilter.start({ dataset, parts: [part('row rule', "quay IN ('Q1', 'Q01', 'Q02')")] });
    const { where } = rowsSql(rule, { table: 'works', binder });
    const sql = `SELECT count(*) FROM works WHERE ${where} AND lower(kind) = 'own'`;
    await assert.rejects(run(sql, binder, 'enable_indexscan=off,enable_bitmapscan=off'), /foreign row/);
  });

  it('runs what may fail on as many rows as the viewer may see, and on no more', async () => {
    const filter = EffectiveFilter.start({ dataset, parts: [part('row rule', "quay = 'Q1'")] }).narrow(
      part('reader', probes[0]!),
    );
    const binder = new StatementBinder();
    const { from, where } = rowsSql(filter, { table: 'works', binder });
    const calls = async () => {
      const { rows } = await client.query<{ calls: string }>(
        `SELECT coalesce(sum(calls), 0) AS calls FROM pg_stat_xact_user_functions WHERE schemaname = 'spy'`,
      );
      return Number(rows[0]!.calls);
    };
    await client.query('BEGIN');
    const before = await calls();
    await client.query(`SELECT count(*) FROM ${from} WHERE ${where}`, [...binder.values]);
    const made = (await calls()) - before;
    await client.query('ROLLBACK');
    // Once for each row, and once or twice for the constant beside it while planning.
    assert.ok(made >= visible && made <= visible + 2, String(made));
  });

  it('keeps layers apart: a token’s condition runs before a report’s, and that before a reader’s', async () => {
    for (const [inner, outer] of [
      ['row rule', 'token'],
      ['token', 'report'],
      ['report', 'reader'],
      ['row rule', 'placement'],
      ['row rule', 'burst'],
    ] as const) {
      const parts = [part(outer, probes[0]!), part(inner, "quay = 'Q1'")];
      const binder = new StatementBinder();
      const filter = EffectiveFilter.start({ dataset, parts: [] }).narrow(...parts);
      const { from, where } = rowsSql(filter, { table: 'works', binder });
      const { rows } = await run(`SELECT count(*)::int FROM ${from} WHERE ${where}`, binder, 'enable_indexscan=off');
      assert.deepEqual(rows, [[visible]], `${outer} behind ${inner}`);
    }
  });

  it('counts what each limit leaves without running a limit on a row that one before it left out', async () => {
    // Nothing is known of a row without a quay: the rule does not hold, and what follows must not run.
    const parts = [part('row rule', "quay = 'Q1'"), part('reader', probes[0]!)];
    const filter = EffectiveFilter.start({ dataset, parts: [] }).narrow(...parts);
    const binder = new StatementBinder();
    const from = `(SELECT id, CASE WHEN id % 7 = 0 AND kind = 'foreign' THEN NULL ELSE quay END AS quay, kind, cost FROM works) AS "w"`;
    const sql = `SELECT passed, count(*)::int FROM (SELECT ${stepCountsSql(filter, binder)} AS passed FROM ${from}) c GROUP BY 1 ORDER BY 1`;
    const { rows } = await run(sql, binder, 'enable_indexscan=off');
    assert.deepEqual(rows, [
      [0, all - visible],
      [2, visible],
    ]);
  });

  it('lets harmless conditions stand beside the fixed ones, where an index serves both', async () => {
    const filter = EffectiveFilter.start({ dataset, parts: [part('row rule', 'cost >= 0')] }).narrow(
      part('reader', "quay = 'Q1' AND kind LIKE 'o%' AND id BETWEEN 1 AND 100"),
    );
    const binder = new StatementBinder();
    const { from, where } = rowsSql(filter, { table: 'works', binder });
    assert.equal(from, 'works');
    const { plan } = await run(`SELECT count(*) FROM ${from} WHERE ${where}`, binder, 'enable_seqscan=off');
    assert.match(plan, /Index/);
  });
});
