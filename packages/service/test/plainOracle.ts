import assert from 'node:assert/strict';
import type { Mask, RowRule } from '@underbell/core/access';

/** One row, with a mark of its own that must never turn up before the wrong eyes. */
export interface Row {
  readonly quay: string;
  readonly district: string;
  readonly who: string;
  readonly amount: number;
  readonly open: boolean;
}
export type Shown = { -readonly [Key in keyof Row]?: Row[Key] };

export interface Person {
  readonly email: string;
  readonly groups: readonly string[];
  readonly quays: readonly string[];
}
/** A rule beside what it means, worked out without the filter language. */
export interface PlainRule {
  readonly where: string;
  readonly keeps: (row: Row, person: Person) => boolean;
  /** The column that it tells people apart by. */
  readonly guards?: keyof Row;
}
/** One condition of a token. */
export interface PlainCondition {
  readonly keeps: (row: Shown) => boolean;
  readonly reads: keyof Row;
  /** It fixes the column to values. */
  readonly isFixing: boolean;
}
export interface PlainToken {
  readonly where?: string;
  readonly conditions: readonly PlainCondition[];
}
export interface PlainReader {
  readonly where?: string;
  readonly keeps: (row: Shown) => boolean;
  readonly reads: readonly (keyof Row)[];
}

export const quays = ['Q1', 'Q2', 'Q3', 'Q4'];
export const groups = ['Leads', 'Crew'];

export const rules: readonly PlainRule[] = [
  {
    where: "quay = person('quay')",
    keeps: (row, person) => person.quays.length === 1 && row.quay === person.quays[0],
    guards: 'quay',
  },
  { where: "quay IN (person('quay'))", keeps: (row, person) => person.quays.includes(row.quay), guards: 'quay' },
  {
    where: "A_OVERLAPS((quay), person('quay')) AND open",
    keeps: (row, person) => person.quays.includes(row.quay) && row.open,
    // What stands beside it is the same for everybody, and tells nobody apart.
    guards: 'quay',
  },
  {
    where: "NOT quay IN (person('quay'))",
    keeps: (row, person) => person.quays.length > 0 && !person.quays.includes(row.quay),
    guards: 'quay',
  },
  { where: 'TRUE', keeps: () => true },
  { where: 'FALSE', keeps: () => false },
  { where: "CASEI(district) = CASEI('NORTH')", keeps: (row) => row.district === 'North', guards: 'district' },
  { where: 'amount * 2 - 10 >= 50', keeps: (row) => row.amount * 2 - 10 >= 50, guards: 'amount' },
];
const quayIs = (...names: string[]): PlainCondition => ({
  keeps: (row) => names.includes(row.quay!),
  reads: 'quay',
  isFixing: true,
});
const isOpen: PlainCondition = { keeps: (row) => row.open!, reads: 'open', isFixing: false };
const anyQuay: PlainCondition = { keeps: () => true, reads: 'quay', isFixing: false };
export const tokens: readonly PlainToken[] = [
  { conditions: [] },
  { where: "quay = 'Q1'", conditions: [quayIs('Q1')] },
  { where: "quay IN ('Q1', 'Q3')", conditions: [quayIs('Q1', 'Q3')] },
  { where: "quay = 'Q2' AND open", conditions: [quayIs('Q2'), isOpen] },
  { where: "quay = 'Q1' OR TRUE", conditions: [anyQuay] },
];
export const narrowings: readonly PlainToken[] = [
  { where: "quay = 'Q1' OR TRUE", conditions: [anyQuay] },
  { where: 'open', conditions: [isOpen] },
  { where: "quay = 'Q3'", conditions: [quayIs('Q3')] },
];
/** Whether a condition of a token fixes what a rule tells people apart by. */
export const isGuarding = ({ rules: all }: World, { isFixing, reads }: PlainCondition): boolean =>
  isFixing && all.some((one) => one.plain.guards === reads);
export const readers: readonly PlainReader[] = [
  { keeps: () => true, reads: [] },
  { where: "TRUE OR quay = 'Q1'", keeps: () => true, reads: ['quay'] },
  { where: 'amount > 40', keeps: (row) => row.amount! > 40, reads: ['amount'] },
  { where: "quay = 'Q2'", keeps: (row) => row.quay === 'Q2', reads: ['quay'] },
  { where: "who LIKE 'mark-1%'", keeps: (row) => row.who!.startsWith('mark-1'), reads: ['who'] },
  { where: "NOT (who = 'mark-100')", keeps: (row) => row.who !== 'mark-100', reads: ['who'] },
  { where: 'NOT open', keeps: (row) => !row.open, reads: ['open'] },
];
export const placements: readonly { readonly where: Record<string, string>; readonly keeps: (row: Row) => boolean }[] =
  [
    { where: {}, keeps: () => true },
    { where: { ledger: 'amount >= 20' }, keeps: (row) => row.amount >= 20 },
  ];

export const report = {
  format: 'underbell-report/1',
  name: 'ledger',
  title: 'Ledger',
  datasets: { ledger: {} },
  parameters: [{ name: 'quay', type: 'text', key: 'quay' }],
  measures: { rows: { label: 'Rows', expression: 'count()' }, total: { label: 'Total', expression: 'sum(amount)' } },
  pages: [
    {
      name: 'all',
      title: 'All',
      figures: [
        {
          kind: 'number',
          name: 'count',
          title: 'Count',
          measure: 'rows',
          beside: 'total',
          at: { column: 1, row: 1, width: 3, height: 2 },
        },
        {
          kind: 'bar',
          name: 'by-quay',
          title: 'By quay',
          by: 'quay',
          measure: 'rows',
          at: { column: 1, row: 3, width: 6, height: 6 },
        },
        {
          kind: 'table',
          name: 'rows',
          title: 'Rows',
          columns: ['quay', 'who', 'amount'],
          limit: 500,
          at: { column: 1, row: 9, width: 12, height: 8 },
        },
      ],
    },
  ],
};

export interface World {
  readonly rows: Row[];
  readonly people: Person[];
  readonly rules: { rule: RowRule; plain: PlainRule }[];
  readonly masks: Mask[];
  readonly placement: (typeof placements)[number];
}
/** What one viewing must show: rows as they are shown, or that it must be refused. */
export interface Expected {
  readonly hidden: ReadonlySet<string>;
  readonly minRows: number;
  readonly fixed: readonly Shown[];
  readonly shown: readonly Shown[];
  /** A condition of the token looks at what is masked, or at a column that is hidden. */
  readonly isAsked: boolean;
  readonly isHiddenAsked: boolean;
}

/** Whom the rules let see a row, in plain words. A value function that holds several values where one is compared refuses. */
export function mayRead(world: World, row: Row, person: Person): boolean {
  const names = ({ rule }: World['rules'][number]) =>
    rule.appliesTo.kind === 'group'
      ? person.groups.includes(rule.appliesTo.name)
      : rule.appliesTo.kind === 'person' && rule.appliesTo.name === person.email;
  const forAll = world.rules.filter((one) => one.rule.appliesTo.kind === 'everyone');
  const others = world.rules.filter((one) => one.rule.appliesTo.kind !== 'everyone');
  if (!forAll.every((one) => one.plain.keeps(row, person))) return false;
  return others.length === 0 || others.filter(names).some((one) => one.plain.keeps(row, person));
}

export function expected(
  world: World,
  viewer: { person?: Person; token?: readonly PlainCondition[]; isPlaced: boolean },
  reader: PlainReader,
): Expected {
  const { person } = viewer;
  const masks = world.masks.filter(({ appliesTo, except }) => {
    if (person && except.some((one) => person.groups.includes(one))) return false;
    if (appliesTo.kind === 'place') return viewer.isPlaced;
    if (appliesTo.kind === 'everyone' || person === undefined) return true;
    return appliesTo.kind === 'group' ? person.groups.includes(appliesTo.name) : person.email === appliesTo.name;
  });
  const effects = masks.map((one) => one.effect);
  const hidden = new Set(effects.flatMap((one) => (one.kind === 'hide' ? [one.column] : [])));
  const minRows = effects.some((one) => one.kind === 'small groups') ? 4 : 1;
  const isCoarse = (column: string) => effects.some((one) => one.kind === 'coarsen' && one.column === column);
  // Whoever wrote the placement is masked by what is for everyone; what is masked to both is masked to its condition.
  const isWrittenCoarsely =
    isCoarse('amount') &&
    world.masks.some(
      ({ appliesTo, effect }) =>
        appliesTo.kind === 'everyone' && effect.kind === 'coarsen' && effect.column === 'amount',
    );
  const placed = (row: Row) =>
    world.placement.keeps(isWrittenCoarsely ? { ...row, amount: Math.floor(row.amount / 25) * 25 } : row);
  const { token = [] } = viewer;
  const isMasked = masks.length > 0;
  const inside = token.filter((one) => !isMasked || isGuarding(world, one));
  const asked = token.filter((one) => !inside.includes(one));
  const fixed = world.rows
    .filter((row) => person === undefined || mayRead(world, row, person))
    .filter((row) => inside.every((one) => one.keeps(row)))
    .filter((row) => !viewer.isPlaced || placed(row))
    .map((row): Shown => {
      const shown: Shown = { ...row };
      if (isCoarse('amount')) shown.amount = Math.floor(row.amount / 25) * 25;
      if (isCoarse('quay')) shown.quay = row.district;
      if (hidden.has('who')) delete shown.who;
      if (hidden.has('quay')) delete shown.quay;
      return shown;
    });
  // A filter on what is hidden is refused; it keeps nothing.
  const isRefused = reader.reads.some((column) => hidden.has(column));
  const isHiddenAsked = asked.some((one) => hidden.has(one.reads));
  return {
    hidden,
    minRows,
    fixed,
    shown:
      isRefused || isHiddenAsked
        ? []
        : fixed.filter((row) => asked.every((one) => one.keeps(row)) && reader.keeps(row)),
    isAsked: asked.length > 0,
    isHiddenAsked,
  };
}

/** No mark of a row that is not among those shown, wherever it stands in the answer. */
export function assertNoMarks(text: string, { shown, hidden }: Expected, what: string, said = ''): void {
  const allowed = new Set<string | undefined>(hidden.has('who') ? [] : shown.map((row) => row.who));
  // What readers wrote themselves comes back in words.
  for (const [mark] of said.matchAll(/mark-\d{3}/g)) allowed.add(mark);
  for (const [mark] of text.matchAll(/mark-\d{3}/g)) assert.ok(allowed.has(mark), `${what}: ${mark}`);
}
