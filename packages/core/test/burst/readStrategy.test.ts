import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  createRouter,
  decideStrategy,
  keysOf,
  recipientColumns,
  tuplesOf,
  type BurstDefinition,
} from '../../src/burst/index.ts';
import { checkFilter, compilePredicate, readFilter } from '../../src/filter/index.ts';
import type { Page, Parameter, ReportDefinition } from '../../src/report/index.ts';
import { sailings } from '../builders.ts';

const column = (name: string) => sailings.columns.find((one) => one.name === name)!;
const where = (text: string, fields: Record<string, readonly string[]>) =>
  checkFilter(readFilter(text), {
    dataset: sailings,
    text,
    valuesOf: (source: string, name: string) => (source === 'recipient' ? fields[name] : undefined),
  });

describe('decideStrategy', () => {
  const page = { name: 'one', title: 'One', figures: [] } as unknown as Page;
  const report = { name: 'r', title: 'R', datasets: { sailings: {} }, pages: [page] } as unknown as ReportDefinition;
  const quay: Parameter = { name: 'quay', type: 'text', key: 'quay' } as Parameter;
  const strategy = (change: Partial<BurstDefinition>, changed: object = {}, bound: Parameter[] = [quay]) =>
    decideStrategy(
      { bind: { quay: 'quay' }, ...change } as unknown as BurstDefinition,
      { ...report, ...changed } as ReportDefinition,
      page,
      bound,
    );

  it('reads in one pass where values of columns tell copies apart', () => {
    for (const text of [
      "district = recipient('district')",
      "recipient('district') = district",
      "quay_id IN (recipient('quays'))",
      "quay_id IN (recipient('quays')) AND passengers > 10",
      "cancelled = FALSE AND (district = recipient('district'))",
    ])
      assert.equal(strategy({ where: { sailings: text } }).kind, 'one pass', text);
  });

  it('asks for each copy where more is meant, and says why', () => {
    for (const text of [
      "passengers > recipient('least')",
      "district = recipient('district') OR cancelled = TRUE",
      "NOT (district = recipient('district'))",
      "district LIKE recipient('start')",
    ]) {
      const found = strategy({ where: { sailings: text } });
      assert.equal(found.kind, 'a query each', text);
      assert.match(found.because, /sailings/);
    }
    assert.equal(strategy({ asSeenBy: 'recipient' }).kind, 'a query each');
    assert.match(strategy({}, {}, [{ ...quay, period: true } as Parameter]).because, /is a range/);
    assert.match(strategy({}, { where: "quay_id = param('quay')" }).because, /“quay”/);
  });
});

describe('recipientColumns', () => {
  it('finds each column once, however deep', () => {
    const text = "(a = recipient('x') AND NOT (b IN (recipient('y'), 'z'))) OR c = recipient('x')";
    assert.deepEqual(recipientColumns(text), ['x', 'y']);
  });
});

describe('keysOf and tuplesOf', () => {
  it('meet where a column is asked twice, and multiply where several are', () => {
    const nodes = [
      where("quay_id IN (recipient('quays'))", { quays: ['Q001', 'Q002', 'Q003'] }),
      where("quay_id IN (recipient('own')) AND route = recipient('d')", {
        own: ['Q002', 'Q009', 'Q003'],
        d: ['North'],
      }),
    ];
    const keys = keysOf(nodes);
    assert.deepEqual(tuplesOf(keys, [column('quay_id'), column('route')]), [
      ['Q002', 'North'],
      ['Q003', 'North'],
    ]);
    assert.deepEqual(tuplesOf(keysOf([where("quay_id = recipient('q')", { q: ['Q001'] })]), [column('quay_id')]), [
      ['Q001'],
    ]);
  });

  it('refuse what no scan can be cut by, and products without end', () => {
    assert.throws(() => keysOf([where("quay_id > recipient('q')", { q: ['Q001'] })]), TypeError);
    const many = Array.from({ length: 400 }, (_, i) => `V${i}`);
    const keys = keysOf([where("quay_id IN (recipient('q')) AND route IN (recipient('d'))", { q: many, d: many })]);
    assert.throws(() => tuplesOf(keys, [column('quay_id'), column('route')]), TypeError);
  });

  it('lead every row to the copies whose condition it meets, and to no other', (t) => {
    const texts = ['Q1', 'Q2', 'Q,3', 'Q"4', 'Q\n5', 'ß🦆'];
    const some = fc.uniqueArray(fc.constantFrom(...texts), { minLength: 1, maxLength: 4 });
    const cuts = fc.array(fc.record({ q: some, d: some }), { minLength: 1, maxLength: 6 });
    const rows = fc.array(fc.tuple(fc.constantFrom(...texts, null), fc.constantFrom(...texts, null)), {
      maxLength: 30,
    });
    const columns = [column('quay_id'), column('route')];
    const text = "quay_id IN (recipient('q')) AND route IN (recipient('d'))";
    let routed = 0;
    fc.assert(
      fc.property(cuts, rows, (all, cells) => {
        const nodes = all.map((fields) => where(text, fields));
        const lead = createRouter({
          columns,
          keys: columns,
          cuts: nodes.map((node, i) => ({ name: `cut ${i}`, tuples: tuplesOf(keysOf([node]), columns), where: node })),
        });
        const tests = nodes.map((node) =>
          compilePredicate(node, (name) => columns.findIndex((one) => one.name === name)),
        );
        for (const row of cells) {
          const expected = tests.flatMap((test, i) => (test(row) ? [i] : []));
          assert.deepEqual(
            [...lead(row)].sort((a, b) => a - b),
            expected,
          );
          routed += expected.length;
        }
      }),
      { numRuns: 400, seed: 2030 },
    );
    assert.ok(routed > 300, `${routed} rows were led somewhere`);
    t.diagnostic(`400 bursts, ${routed} rows led to copies, seed 2030`);
  });
});
