import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  effectiveFilterOf,
  type ClientViewer,
  type PersonViewer,
  type RowRule,
  type Viewing,
} from '../../src/access/index.ts';
import { compilePredicate, type Cell } from '../../src/filter/index.ts';
import { isRefusal } from '../../src/refusal/index.ts';
import { aPerson, aReport, moment, sailings } from '../builders.ts';

const quays = ['Q001', 'Q002', 'Q003', 'Q004'];
const routes = ['R1', 'R2'];
const rows: Cell[][] = quays.flatMap((quay) =>
  routes.flatMap((route) =>
    [0, 5].map((passengers) => [quay, route, '2026-10-01', 0, passengers, 1, passengers === 5]),
  ),
);
const columnIndex = (name: string) => sailings.columns.findIndex((one) => one.name === name);

/** A rule beside what it means, worked out without the filter language. */
interface PlainRule {
  readonly rule: RowRule;
  readonly keeps: (row: Cell[], person: PersonViewer) => boolean;
}

const conditions: { where: string; keeps: PlainRule['keeps'] }[] = [
  { where: "quay_id = person('quay')", keeps: (row, person) => row[0] === person.attributes['quay']?.[0] },
  {
    where: "quay_id IN (person('quay'))",
    keeps: (row, person) => person.attributes['quay']?.includes(row[0] as string) === true,
  },
  {
    where: "NOT quay_id = person('quay')",
    keeps: (row, person) => person.attributes['quay'] !== undefined && row[0] !== person.attributes['quay'][0],
  },
  { where: 'TRUE', keeps: () => true },
  { where: 'FALSE', keeps: () => false },
  { where: "route = 'R1'", keeps: (row) => row[1] === 'R1' },
  { where: 'passengers > 0', keeps: (row) => (row[4] as number) > 0 },
];
const holders = [
  { kind: 'everyone' },
  { kind: 'group', name: 'Quay managers' },
  { kind: 'group', name: 'Leads' },
  { kind: 'person', name: 'kira@skerrow.example' },
] as const;

const plainRule = fc
  .tuple(fc.constantFrom(...conditions), fc.constantFrom(...holders), fc.nat())
  .map(([condition, appliesTo, n]): PlainRule => ({
    rule: { name: `rule-${n}`, dataset: 'sailings', appliesTo, where: condition.where },
    keeps: condition.keeps,
  }));
const person = fc
  .record({
    groups: fc.subarray(['Quay managers', 'Leads']),
    email: fc.constantFrom('kira@skerrow.example', 'else@skerrow.example'),
    quay: fc.option(fc.subarray(quays, { minLength: 1, maxLength: 1 }), { nil: undefined }),
  })
  .map(({ groups, email, quay }) => aPerson({ groups, email, attributes: quay ? { quay } : {} }));

/** Who the rules let see a row, in plain words: all for everyone, and one of those that name the person, if any name anybody. */
function mayRead(row: Cell[], rules: readonly PlainRule[], who: PersonViewer): boolean {
  const names = (one: PlainRule) => {
    const { appliesTo } = one.rule;
    if (appliesTo.kind === 'everyone') return false;
    return appliesTo.kind === 'group' ? who.groups.includes(appliesTo.name) : appliesTo.name === who.email;
  };
  const forAll = rules.filter((one) => one.rule.appliesTo.kind === 'everyone');
  const others = rules.filter((one) => one.rule.appliesTo.kind !== 'everyone');
  if (!forAll.every((one) => one.keeps(row, who))) return false;
  if (others.length === 0) return true;
  const applying = others.filter(names);
  // One that lacks its attribute opens nothing, but does not close what another opens.
  return applying.some((one) => one.keeps(row, who));
}

const readerFilters = [
  undefined,
  'TRUE',
  "quay_id = 'Q001' OR TRUE",
  "NOT quay_id = 'Q001'",
  'passengers >= 0',
  "route IN ('R1', 'R2')",
  'cancelled OR NOT cancelled',
];
const tokenQuay = fc.constantFrom(...quays);

function shown(viewing: Partial<Viewing> & Pick<Viewing, 'viewer' | 'rules'>): Cell[][] {
  const report = aReport();
  const whole: Viewing = {
    report,
    page: report.pages[0]!,
    masks: [],
    moment,
    fixed: [],
    chosen: [],
    choices: [],
    ...viewing,
  };
  const { where } = effectiveFilterOf(whole, sailings);
  return rows.filter(compilePredicate(where, columnIndex));
}

describe('the effective filter, against a plain oracle', () => {
  it('shows a person no row that the rules do not open, whatever the reader sends', (t) => {
    let cases = 0;
    let seen = 0;
    fc.assert(
      fc.property(
        fc.array(plainRule, { maxLength: 4 }),
        person,
        fc.constantFrom(...readerFilters),
        (plain, who, where) => {
          const allowed = rows.filter((row) => mayRead(row, plain, who));
          const found = shown({
            viewer: who,
            rules: plain.map((one) => one.rule),
            ...(where === undefined ? {} : { where }),
          });
          for (const row of found)
            assert.ok(allowed.includes(row), JSON.stringify({ row, rules: plain.map((one) => one.rule), who, where }));
          if (where === undefined)
            assert.deepEqual(found, allowed, JSON.stringify({ rules: plain.map((one) => one.rule), who }));
          cases++;
          seen += found.length;
        },
      ),
      { seed: 611, numRuns: 4_000 },
    );
    t.diagnostic(`${cases} cases, ${seen} rows shown, none foreign, seed 611`);
    assert.ok(seen > 1_000);
  });

  it('shows a token no row outside its own filter, or refuses it', (t) => {
    let refusals = 0;
    let seen = 0;
    fc.assert(
      fc.property(
        fc.array(plainRule, { minLength: 1, maxLength: 3 }),
        fc.option(person, { nil: undefined }),
        fc.option(tokenQuay, { nil: undefined }),
        fc.constantFrom(...readerFilters),
        (plain, who, quay, where) => {
          const viewer: ClientViewer = {
            kind: 'client',
            clientId: 'portal',
            tokenId: 't',
            where: quay ? { sailings: `quay_id = '${quay}'` } : {},
            ...(who ? { person: who } : {}),
          };
          try {
            for (const row of shown({
              viewer,
              rules: plain.map((one) => one.rule),
              ...(where === undefined ? {} : { where }),
            })) {
              assert.ok(quay === undefined || row[0] === quay);
              assert.ok(who === undefined || mayRead(row, plain, who));
              seen++;
            }
          } catch (error) {
            assert.ok(isRefusal(error, 'TOKEN_NEEDS_FILTER'), String(error));
            // A quay guards only what some rule tells apart by it.
            const isGuarded = plain.some((one) => one.rule.where.includes('quay'));
            assert.ok(who === undefined && (quay === undefined || !isGuarded));
            refusals++;
          }
        },
      ),
      { seed: 612, numRuns: 3_000 },
    );
    t.diagnostic(`3000 tokens: ${seen} rows shown, none foreign, ${refusals} refused, seed 612`);
    assert.ok(seen > 500 && refusals > 50);
  });

  it('shows under a fixed parameter only that value, whatever the reader chooses', () => {
    const parameter = aReport().parameters![0]!;
    fc.assert(
      fc.property(
        tokenQuay,
        fc.option(tokenQuay, { nil: undefined }),
        fc.constantFrom(...readerFilters),
        (fixed, chosen, where) => {
          const found = shown({
            viewer: aPerson(),
            rules: [],
            fixed: [{ parameter, values: [fixed], texts: [fixed], origin: 'placement', by: 'p' }],
            ...(chosen ? { chosen: [{ parameter, values: [chosen], texts: [chosen] }] } : {}),
            ...(where === undefined ? {} : { where }),
          });
          assert.ok(found.every((row) => row[0] === fixed && (chosen === undefined || chosen === fixed)));
        },
      ),
      { seed: 613, numRuns: 300 },
    );
  });
});
