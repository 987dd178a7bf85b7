import fc from 'fast-check';
import { readInstant, type DatasetShape } from '../../src/dataset/index.ts';

/** A dataset with a column of every type, and random filters over it. */
export const things: DatasetShape = {
  name: 'things',
  columns: [
    { name: 't', type: 'text' },
    { name: 'u', type: 'text' },
    { name: 'n', type: 'number' },
    { name: 'm', type: 'integer' },
    { name: 'd', type: 'date' },
    { name: 'e', type: 'date' },
    { name: 'i', type: 'instant' },
    { name: 'b', type: 'boolean' },
    { name: 'Odd "name"', type: 'text' },
  ],
};

export const quoted = (text: string) => `'${text.replaceAll("'", "''")}'`;

export const texts = [
  '',
  'a',
  'A',
  'á',
  'a\u0301',
  'Á',
  'ab',
  'aB',
  'Z',
  '%',
  '_',
  '\\',
  "it's",
  'ﬀ',
  'ß',
  'SS',
  'İ',
  'i',
  'ΟΔΟΣ',
  'οδος',
  'Ångström',
  'angstrom',
  '한',
  '🦆',
  '\uffee',
  'two\nlines',
  ' ',
  'null',
  '"',
  '{}',
];
/** As PostgreSQL writes them; those that a person may type come first. */
export const numbers = [
  '0',
  '-1',
  '1',
  '2.5',
  '3',
  '0.1',
  '0.2',
  '0.3',
  '-0.125',
  '1000000000000000',
  '9007199254740993',
  '9007199254740992',
  '123456789012345678',
  '123456789012345679',
  '0.1234567890123456789',
  '1e100',
  '-1e-20',
];
export const specialNumbers = ['NaN', 'Infinity', '-Infinity'];
export const days = ['2026-10-01', '2026-10-02', '2024-02-29', '0001-01-01', '9999-12-31'];
export const specialDays = ['infinity', '-infinity'];
export const instants = [
  '2026-10-01T00:00:00Z',
  '2026-10-01T02:00:00.250Z',
  '2026-10-01T02:00:00.250001Z',
  '1970-01-01T00:00:00Z',
  '1969-12-31T23:59:59.999999Z',
];

type Kind = 't' | 'n' | 'd' | 'i' | 'b';
const from = (...all: string[]) => fc.constantFrom(...all);

const literals: Record<Kind, fc.Arbitrary<string>> = {
  t: from(...texts).map(quoted),
  n: from(...numbers),
  d: from(...days).map((day) => `DATE('${day}')`),
  i: from(...instants).map((instant) => `TIMESTAMP('${instant}')`),
  b: from('TRUE', 'FALSE'),
};
const operands: Record<Kind, fc.Arbitrary<string>> = {
  t: from('t', 'u', 'CASEI(t)', 'ACCENTI(u)', 'CASEI(ACCENTI(t))', '"Odd ""name"""', "person('name')"),
  n: from(
    'n',
    'm',
    'n + m',
    'm * 2 - n',
    'n / m',
    '-m',
    'n * n',
    'm % 2',
    'm DIV 2',
    'n - 0.1',
    'm ^ 3',
    "person('size')",
  ),
  d: from('d', 'e', 'today()', "person('day')"),
  i: from('i', 'now()'),
  b: from('b'),
};
const folded: Record<Kind, fc.Arbitrary<string>> = {
  ...literals,
  t: fc.tuple(from('', 'CASEI', 'ACCENTI'), literals.t).map(([f, text]) => (f === '' ? text : `${f}(${text})`)),
};
const kind = fc.constantFrom<Kind>('t', 'n', 'd', 'i');
const order = from('=', '<>', '<', '<=', '>', '>=');
const pattern = fc
  .array(from('a', 'b', 'á', '%', '_', '\\\\', '\\%', '🦆', "''"), { maxLength: 4 })
  .map((parts) => `'${parts.join('')}'`);
const foldedPattern = fc
  .tuple(from('', 'CASEI', 'ACCENTI'), pattern)
  .map(([f, text]) => (f === '' ? text : `${f}(${text})`));
const not = from('', 'NOT ');

const temporalNames = ['AFTER', 'BEFORE', 'DISJOINT', 'EQUALS', 'INTERSECTS'];
const spanNames = [
  'CONTAINS',
  'DURING',
  'FINISHEDBY',
  'FINISHES',
  'MEETS',
  'METBY',
  'OVERLAPPEDBY',
  'OVERLAPS',
  'STARTEDBY',
  'STARTS',
];
const bound = {
  d: from(...days.map(quoted), 'd', 'e', "'..'"),
  i: from(...instants.map(quoted), 'i', "'..'"),
};
/** An interval that does not end before it starts, unless by what stands in columns. */
const interval = (k: 'd' | 'i') =>
  fc.tuple(bound[k], bound[k]).map(([a, b]) => {
    const when = (text: string) => (k === 'd' ? Date.parse(text.slice(1, -1)) : readInstant(text.slice(1, -1)));
    return Number(when(a)) > Number(when(b)) ? `INTERVAL(${b}, ${a})` : `INTERVAL(${a}, ${b})`;
  });
const temporal = fc
  .constantFrom<'d' | 'i'>('d', 'i')
  .chain((k) =>
    fc
      .tuple(
        from(...temporalNames, ...spanNames),
        fc.oneof(operands[k], interval(k)),
        fc.oneof(literals[k], interval(k), operands[k]),
      )
      .map(([name, a, b]) => `T_${name}(${a}, ${b})`),
  );
const listOf = (k: Kind) =>
  fc.array(fc.oneof(literals[k], operands[k]), { maxLength: 3 }).map((items) => `(${items.join(', ')})`);
const arrays = fc
  .constantFrom<Kind>('t', 'n', 'd')
  .chain((k) =>
    fc
      .tuple(from('CONTAINS', 'CONTAINEDBY', 'EQUALS', 'OVERLAPS'), listOf(k), listOf(k))
      .map(([name, a, b]) => `A_${name}(${a}, ${b})`),
  );

const simple = fc.oneof(
  {
    weight: 4,
    arbitrary: kind.chain((k) =>
      fc.tuple(operands[k], order, fc.oneof(folded[k], operands[k])).map((p) => p.join(' ')),
    ),
  },
  kind.chain((k) =>
    fc
      .tuple(
        operands[k],
        not,
        fc.array(fc.oneof({ weight: 4, arbitrary: folded[k] }, operands[k]), { minLength: 1, maxLength: 11 }),
      )
      .map(([c, n, all]) => `${c} ${n}IN (${all.join(', ')})`),
  ),
  from('t', 'u', 'CASEI(t)').chain((c) =>
    fc.tuple(not, from("person('names')", "'a', person('names')")).map(([n, list]) => `${c} ${n}IN (${list})`),
  ),
  kind.chain((k) =>
    fc
      .tuple(operands[k], not, literals[k], fc.oneof(literals[k], operands[k]))
      .map(([c, n, a, b]) => `${c} ${n}BETWEEN ${a} AND ${b}`),
  ),
  fc.tuple(operands.t, not, foldedPattern).map(([c, n, p]) => `${c} ${n}LIKE ${p}`),
  fc.tuple(from('t', 'n', 'd', 'i', 'b', 'n / m', 'CASEI(t)', '(n > m)'), not).map(([c, n]) => `${c} IS ${n}NULL`),
  from('b', 'b = TRUE', 'b <> FALSE', 'TRUE', 'FALSE', 'm = m', '(n > 1) = b', 'b IN (TRUE, (m > 0))'),
  temporal,
  arrays,
  from(
    "A_OVERLAPS((t, u), person('names'))",
    "A_CONTAINEDBY((t), person('names'))",
    "A_CONTAINS(person('names'), (u))",
    "A_EQUALS((t, u), person('names'))",
  ),
);

/** A condition as CQL2 text, whose types fit. */
export const condition = fc.letrec<{ any: string }>((tie) => ({
  any: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    simple,
    fc.tuple(tie('any'), from('AND', 'OR'), tie('any')).map(([a, op, b]) => `(${a} ${op} ${b})`),
    fc.tuple(tie('any'), from('AND', 'OR'), tie('any'), from('AND', 'OR'), simple).map((p) => p.join(' ')),
    tie('any').map((a) => `NOT (${a})`),
  ),
})).any;

export const values: Record<string, string[]> = {
  name: ['á'],
  size: ['2.5'],
  day: ['2026-10-01'],
  names: ['a', 'Á', "it's"],
};
/** What the filters' value functions stand for. */
export const thingScope = (text: string) => ({
  dataset: things,
  text,
  today: '2026-10-01',
  now: Date.parse('2026-10-01T02:00:00.250Z'),
  valuesOf: (source: string, name: string) => (source === 'person' ? values[name] : undefined),
});
