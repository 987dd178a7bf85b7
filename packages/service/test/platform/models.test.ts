import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { QueryTypes } from 'sequelize';
import { capabilities } from '../../src/capabilities.ts';
import { defineModel, declaredModels, text } from '../../src/platform/records/index.ts';
import { platformModels } from '../../src/platform/models.ts';
import { House } from '../house.ts';

/** Tables of libraries: what keeps count of guesses, and what brings the records up to date. */
const foreign = ['migrations', 'rate_limits'];

const typeNames: Readonly<Record<string, string>> = {
  TEXT: 'text',
  INTEGER: 'integer',
  BIGINT: 'bigint',
  DOUBLE: 'double precision',
  'DOUBLE PRECISION': 'double precision',
  REAL: 'real',
  BOOLEAN: 'boolean',
  DATE: 'timestamp with time zone',
  DATEONLY: 'date',
  JSONB: 'jsonb',
  BLOB: 'bytea',
  UUID: 'uuid',
};

interface ColumnFact {
  readonly table: string;
  readonly column: string;
  readonly type: string;
  readonly is_nullable: 'YES' | 'NO';
  readonly has_default: boolean;
  readonly is_key: boolean;
  readonly refers_to: string | null;
  readonly words: string[] | null;
}

const factsSql = `
  SELECT c.table_name AS table, c.column_name AS column, c.data_type AS type, c.is_nullable,
    c.column_default IS NOT NULL AS has_default,
    EXISTS (SELECT FROM pg_constraint p WHERE p.contype = 'p' AND p.conrelid = c.table_name::regclass AND a.attnum = ANY(p.conkey)) AS is_key,
    (SELECT f.confrelid::regclass::text FROM pg_constraint f
      WHERE f.contype = 'f' AND f.conrelid = c.table_name::regclass AND f.conkey = ARRAY[a.attnum]) AS refers_to,
    (SELECT array_agg(w[1] ORDER BY w[1]) FROM pg_constraint k, regexp_matches(pg_get_constraintdef(k.oid), '''([^'']*)''::text', 'g') AS w
      WHERE k.contype = 'c' AND k.conrelid = c.table_name::regclass AND k.conkey = ARRAY[a.attnum]
        AND pg_get_constraintdef(k.oid) LIKE '%= ANY (ARRAY[%') AS words
  FROM information_schema.columns c
  JOIN pg_attribute a ON a.attrelid = c.table_name::regclass AND a.attname = c.column_name
  WHERE c.table_schema = 'public'`;

const inSnakeCase = (name: string) => name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`);

describe('the models of the records', () => {
  let house: House;
  let facts: ColumnFact[];

  before(async () => {
    house = await House.open();
    facts = await house.app.records.query<ColumnFact>(factsSql, { type: QueryTypes.SELECT });
  });
  after(() => house.close());

  it('are one for each table, each of one capability', () => {
    const tables = [...new Set(facts.map((one) => one.table))].filter((one) => !foreign.includes(one)).sort();
    const owned = [...platformModels, ...capabilities.flatMap((one) => one.models ?? [])].map((one) => one.table);
    assert.deepEqual(owned.toSorted(), tables);
    assert.deepEqual([...declaredModels.keys()].sort(), tables);
    assert.throws(() => defineModel('people', { id: text() }), /has its model already/);
  });

  it('say of every column what the database says', (t) => {
    const said: unknown[] = [];
    const found: unknown[] = [];
    for (const [table, { columns }] of [...declaredModels].sort(([a], [b]) => a.localeCompare(b)))
      for (const [name, { options, refersTo, isFilled }] of Object.entries(columns)) {
        const column = inSnakeCase(name);
        const fact = facts.find((one) => one.table === table && one.column === column);
        assert.ok(fact, `${table}.${column} is not there`);
        const type = typeNames[(options.type as { key: string }).key];
        const words = (options.validate as { isIn?: string[][] } | undefined)?.isIn?.[0];
        said.push({
          at: `${table}.${column}`,
          type,
          isNullable: options.allowNull === true,
          isFilled: isFilled === true || options.autoIncrement === true,
          isKey: options.primaryKey === true,
          ...(words ? { words: words.toSorted() } : {}),
          ...(fact.refers_to === null ? {} : { refersTo: refersTo?.table }),
        });
        found.push({
          at: `${table}.${column}`,
          type: fact.type,
          isNullable: fact.is_nullable === 'YES',
          isFilled: fact.has_default,
          isKey: fact.is_key,
          ...(words || fact.words ? { words: fact.words?.toSorted() } : {}),
          ...(fact.refers_to === null ? {} : { refersTo: fact.refers_to }),
        });
      }
    assert.deepEqual(said, found);
    const declared = [...declaredModels].flatMap(([table, { columns }]) =>
      Object.keys(columns).map((name) => `${table}.${inSnakeCase(name)}`),
    );
    const there = facts.filter((one) => !foreign.includes(one.table)).map((one) => `${one.table}.${one.column}`);
    assert.deepEqual(declared.sort(), there.sort());
    t.diagnostic(`${declaredModels.size} models, ${declared.length} columns`);
  });

  it('read numbers of 64 bits as numbers, and refuse words that no column has', async () => {
    const uploads = declaredModels.get('uploads')!(house.app);
    const people = declaredModels.get('people')!(house.app);
    const someone = await people.create({ id: 'p1', email: 'a@b.example', name: 'A' } as never);
    assert.equal(someone.get('state' as never), 'active');
    const file = { id: 'u1', personId: 'p1', fileName: 'a.csv', kind: 'csv', path: 'a', rowCount: 2, columns: [] };
    await uploads.create({ ...file, sizeBytes: 9_007_199_254_740_991, createdAt: new Date() } as never);
    const read = await uploads.findByPk('u1');
    assert.equal(read!.get('sizeBytes' as never), 9_007_199_254_740_991);
    await house.app.records.query('UPDATE uploads SET size_bytes = 9007199254740993');
    const wide = await uploads.findByPk('u1');
    assert.throws(() => wide!.get('sizeBytes' as never), RangeError);
    await assert.rejects(people.update({ state: 'gone' } as never, { where: { id: 'p1' } as never }), /Validation/);
    await assert.rejects(people.create({ id: 'p2', name: 'B' } as never), /notNull/);
  });
});
