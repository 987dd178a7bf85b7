import type { ColumnType } from './columns.ts';
import { canonicalCell, type CellDialect, type DateOrder, type DecimalSign } from './dialect.ts';
import { fitsType } from './values.ts';

/** In which ways a cell can be read, as bits. */
const reads = {
  boolean: 1,
  instant: 2,
  integerDot: 4,
  integerComma: 8,
  numberDot: 16,
  numberComma: 32,
  dayFirst: 64,
  monthFirst: 128,
  yearFirst: 256,
  /** `007` is an identifier, not the number seven. */
  identifier: 512,
  /** The same whatever the decimal sign, and as a database reads it. */
  canonicalNumber: 1024,
  canonicalDate: 2048,
  /** Only as a dot has it, and as a database reads it. */
  pointNumber: 4096,
  /** The same day whatever the order. */
  sameDate: 8192,
  /** `true` and `false`, as a database reads them. */
  canonicalBoolean: 16_384,
  trueWord: 32_768,
  falseWord: 65_536,
} as const;

const leadingZero = /^[+-]?0\d/;
const order: readonly ColumnType[] = ['boolean', 'integer', 'number', 'date', 'instant'];

function readingsOf(cell: string): number {
  const bare = cell.trim();
  let mask = 0;
  const truth = canonicalCell(bare, 'boolean', {});
  if (truth !== undefined) mask |= reads.boolean | (truth === 'true' ? reads.trueWord : reads.falseWord);
  if (fitsType(bare, 'boolean')) mask |= reads.canonicalBoolean;
  if (fitsType(bare, 'instant')) mask |= reads.instant;
  if (!/\d/.test(bare)) return mask;
  if (canonicalCell(bare, 'integer', { decimal: 'dot' }) !== undefined) mask |= reads.integerDot;
  if (canonicalCell(bare, 'integer', { decimal: 'comma' }) !== undefined) mask |= reads.integerComma;
  if (canonicalCell(bare, 'number', { decimal: 'dot' }) !== undefined) mask |= reads.numberDot;
  if (canonicalCell(bare, 'number', { decimal: 'comma' }) !== undefined) mask |= reads.numberComma;
  if (fitsType(bare, 'number')) mask |= /[.,]/.test(bare) ? reads.pointNumber : reads.canonicalNumber;
  if (canonicalCell(bare, 'date', { dates: 'day-month-year' }) !== undefined) mask |= reads.dayFirst;
  if (canonicalCell(bare, 'date', { dates: 'month-day-year' }) !== undefined) mask |= reads.monthFirst;
  if (canonicalCell(bare, 'date', { dates: 'year-month-day' }) !== undefined) mask |= reads.yearFirst;
  if (canonicalCell(bare, 'date', {}) !== undefined) mask |= reads.sameDate;
  if (fitsType(bare, 'date')) mask |= reads.canonicalDate;
  if (leadingZero.test(bare)) mask |= reads.identifier;
  return mask;
}

const remembered = new Map<string, number>();
const maxRemembered = 20_000;
const longestRemembered = 40;

/** Most columns say the same things over and over, so answers are kept. */
function readings(cell: string): number {
  const known = remembered.get(cell);
  if (known !== undefined) return known;
  const found = readingsOf(cell);
  if (cell.length <= longestRemembered) {
    if (remembered.size >= maxRemembered) remembered.clear();
    remembered.set(cell, found);
  }
  return found;
}

export interface FoundCell {
  /** Rows count from 1, without the heading. */
  readonly row: number;
  readonly value: string;
}

/** How many cells can be read in the same ways, and the first of them. */
export interface CellTally {
  readonly readings: number;
  readonly count: number;
  readonly first: readonly FoundCell[];
}

/** What stands in a column of a file, before anything is settled about it. */
export interface ExaminedColumn {
  readonly heading: string;
  readonly missing: number;
  readonly samples: readonly string[];
  readonly tallies: readonly CellTally[];
}

/** How many cells of a column a type does not fit, and the first of them. */
export interface Misfits {
  readonly type: ColumnType;
  readonly count: number;
  readonly first: readonly FoundCell[];
}

/** The type that most cells of a column fit. */
export interface NearType extends Misfits {
  /** How many cells fit it. */
  readonly fitting: number;
}

const shownCells = 5;
const shownLength = 80;

/** Looks at every cell of a column before anything is stored. */
export class ColumnExam {
  readonly #heading: string;
  readonly #samples: string[] = [];
  readonly #tallies = new Map<number, { count: number; first: FoundCell[] }>();
  #missing = 0;
  #row = 0;

  constructor(heading: string) {
    this.#heading = heading;
  }

  add(cell: string): void {
    this.#row++;
    if (cell === '') {
      this.#missing++;
      return;
    }
    if (this.#samples.length < shownCells) {
      const shown = cell.slice(0, shownLength);
      if (!this.#samples.includes(shown)) this.#samples.push(shown);
    }
    const mask = readings(cell);
    let tally = this.#tallies.get(mask);
    if (!tally) this.#tallies.set(mask, (tally = { count: 0, first: [] }));
    tally.count++;
    if (tally.first.length < shownCells) tally.first.push({ row: this.#row, value: cell.slice(0, shownLength) });
  }

  get result(): ExaminedColumn {
    const tallies = [...this.#tallies].map(([mask, tally]) => ({ readings: mask, ...tally }));
    return { heading: this.#heading, missing: this.#missing, samples: this.#samples, tallies };
  }
}

/** The ways of reading a cell that count as a type; all of them while the dialect is open. */
function bitsOf(type: ColumnType, { decimal, dates }: CellDialect): number {
  switch (type) {
    case 'text':
      return -1;
    case 'boolean':
    case 'instant':
      return reads[type];
    case 'integer':
      return (decimal === 'comma' ? 0 : reads.integerDot) | (decimal === 'dot' ? 0 : reads.integerComma);
    case 'number':
      return (decimal === 'comma' ? 0 : reads.numberDot) | (decimal === 'dot' ? 0 : reads.numberComma);
    case 'date':
      if (dates === undefined) return reads.dayFirst | reads.monthFirst;
      return {
        'day-month-year': reads.dayFirst,
        'month-day-year': reads.monthFirst,
        'year-month-day': reads.yearFirst,
      }[dates];
  }
}

const sum = (tallies: readonly CellTally[]) => tallies.reduce((all, one) => all + one.count, 0);

/** The first of all cells that tallies tell of, in their order. */
const firstOf = (tallies: readonly CellTally[]) =>
  tallies
    .flatMap((one) => one.first)
    .sort((a, b) => a.row - b.row)
    .slice(0, shownCells);

/** Cells that do not fit a type in a dialect. */
export function misfitsOf({ tallies }: ExaminedColumn, type: ColumnType, dialect: CellDialect): Misfits | undefined {
  if (type === 'text') return undefined;
  const bits = bitsOf(type, dialect);
  const misfits = tallies.filter((one) => (one.readings & bits) === 0);
  return misfits.length === 0 ? undefined : { type, count: sum(misfits), first: firstOf(misfits) };
}

const hasIdentifiers = ({ tallies }: ExaminedColumn) =>
  tallies.some((one) => (one.readings & reads.identifier) !== 0 && (one.readings & reads.numberDot) !== 0);

/** The narrowest type that fits every cell of a column; text when there is none, or no cell. */
export function guessType(column: ExaminedColumn, dialect: CellDialect): ColumnType {
  const { tallies } = column;
  if (tallies.length === 0) return 'text';
  const isIdentifier = hasIdentifiers(column);
  const has = (bit: number) => tallies.some((one) => (one.readings & bit) !== 0);
  // A column of `NO` alone may hold countries: words are truths where both are there.
  const isWord = !isCanonical(column, 'boolean', dialect) && !(has(reads.trueWord) && has(reads.falseWord));
  const fits = (type: ColumnType) => {
    if (type === 'boolean' && isWord) return false;
    if (isIdentifier && (type === 'integer' || type === 'number')) return false;
    // Whole only where it is whole whatever the decimal sign turns out to be.
    if (type === 'integer' && dialect.decimal === undefined)
      return !misfitsOf(column, type, { decimal: 'dot' }) && !misfitsOf(column, type, { decimal: 'comma' });
    return misfitsOf(column, type, dialect) === undefined;
  };
  return order.find(fits) ?? 'text';
}

/** From so many of its cells on a column tells how numbers or dates are written, or that it was meant to be of a type. */
const tellingShare = 0.8;

/** The type that all but a few cells of a column have, where those few make it text. */
export function nearTypeOf(column: ExaminedColumn, dialect: CellDialect): NearType | undefined {
  const all = sum(column.tallies);
  const types = order.filter((type) => (type !== 'integer' && type !== 'number') || !hasIdentifiers(column));
  const near = types.flatMap((type) => misfitsOf(column, type, dialect) ?? []);
  // The narrowest of those that fit the most cells.
  const best = near.reduce<Misfits | undefined>(
    (one, next) => (one && one.count <= next.count ? one : next),
    undefined,
  );
  if (best === undefined || guessType(column, dialect) !== 'text' || all - best.count < tellingShare * all) return;
  return { ...best, fitting: all - best.count };
}

/** A column of a file as it is shown: its type by itself, and for every type the cells that do not fit. */
export function describeColumn(column: ExaminedColumn, dialect: CellDialect) {
  const { heading, missing, samples } = column;
  const misfits = order.flatMap((type) => misfitsOf(column, type, dialect) ?? []);
  const near = nearTypeOf(column, dialect);
  return { heading, type: guessType(column, dialect), missing, samples, misfits, ...(near ? { near } : {}) };
}

type NamedColumn = ExaminedColumn & { readonly name: string };

/** What columns say of a matter that has two readings: one of them, nothing, or both. */
function vote(
  columns: readonly NamedColumn[],
  [a, b]: readonly [number, number],
  isToldOf: (column: string) => boolean,
): { a: boolean; b: boolean } {
  const found = { a: false, b: false };
  for (const { name, tallies } of columns) {
    const only = (yes: number, no: number) =>
      tallies.some(({ readings: mask }) => (mask & yes) !== 0 && (mask & no) === 0);
    const fitting = sum(tallies.filter((one) => (one.readings & (a | b)) !== 0));
    if (fitting === 0 || (!isToldOf(name) && fitting < tellingShare * sum(tallies))) continue;
    found.a ||= only(a, b);
    found.b ||= only(b, a);
  }
  return found;
}

/**
 * How numbers and dates of a file are written, as far as its cells tell without a doubt.
 *
 * @param said - what somebody said, or what was settled for an earlier file
 * @param types - of columns of which they are settled: those tell even where many cells are something else
 */
export function resolveDialect(
  columns: readonly NamedColumn[],
  said: CellDialect,
  types: ReadonlyMap<string, ColumnType> = new Map(),
): CellDialect {
  const isNumber = (name: string) => ['integer', 'number'].includes(types.get(name) ?? '');
  const numbers = vote(columns, [reads.numberDot, reads.numberComma], isNumber);
  const dates = vote(columns, [reads.dayFirst, reads.monthFirst], (name) => types.get(name) === 'date');
  const decimal: DecimalSign | undefined =
    said.decimal ?? (numbers.a === numbers.b ? undefined : numbers.a ? 'dot' : 'comma');
  const dateOrder: DateOrder | undefined =
    said.dates ?? (dates.a === dates.b ? undefined : dates.a ? 'day-month-year' : 'month-day-year');
  return { ...(decimal ? { decimal } : {}), ...(dateOrder ? { dates: dateOrder } : {}) };
}

/** Something that cells can mean in two ways. */
export interface DialectQuestion {
  readonly about: 'decimal' | 'dates';
  /** Columns whose values hang on it. */
  readonly columns: readonly string[];
  readonly cell: FoundCell;
  /** What the cell is, by what could be said. */
  readonly readings: readonly { readonly say: DecimalSign | DateOrder; readonly as: string }[];
}

/** What has to be said before columns can be read as these types. */
export function openQuestions(
  columns: readonly NamedColumn[],
  types: ReadonlyMap<string, ColumnType>,
  dialect: CellDialect,
): DialectQuestion[] {
  const ask = (about: 'decimal' | 'dates', says: readonly (DecimalSign | DateOrder)[]): DialectQuestion[] => {
    if (dialect[about] !== undefined) return [];
    const asked = columns.flatMap((column) => {
      const type = types.get(column.name);
      const isAbout = about === 'dates' ? type === 'date' : type === 'integer' || type === 'number';
      if (!isAbout) return [];
      const [all, same] =
        about === 'dates'
          ? [reads.dayFirst | reads.monthFirst, reads.sameDate | reads.yearFirst]
          : [reads.numberDot | reads.numberComma, reads.canonicalNumber];
      const open = column.tallies.filter((one) => (one.readings & all) !== 0 && (one.readings & same) === 0);
      return open.length === 0 ? [] : [{ name: column.name, type: type!, open }];
    });
    if (asked.length === 0) return [];
    // A cell that can be read in both ways shows best what hangs on it.
    const bothWays = (mask: number) =>
      about === 'dates'
        ? (mask & reads.dayFirst) !== 0 && (mask & reads.monthFirst) !== 0
        : (mask & reads.numberDot) !== 0 && (mask & reads.numberComma) !== 0;
    const { type, open } = asked.find((one) => one.open.some(({ readings: mask }) => bothWays(mask))) ?? asked[0]!;
    const [cell] = firstOf(
      open
        .filter((one) => bothWays(one.readings))
        .concat(open)
        .slice(0, 1),
    );
    const reading = (say: DecimalSign | DateOrder) =>
      canonicalCell(cell!.value, type === 'integer' ? 'number' : type, { [about]: say }) ?? 'cannot be read';
    return [
      {
        about,
        columns: asked.map((one) => one.name),
        cell: cell!,
        readings: says.map((say) => ({ say, as: reading(say) })),
      },
    ];
  };
  return [...ask('decimal', ['dot', 'comma']), ...ask('dates', ['day-month-year', 'month-day-year'])];
}

/** Whether a database reads the cells of a column that fit their type just as the dialect does. */
export function isCanonical({ tallies }: ExaminedColumn, type: ColumnType, { decimal }: CellDialect): boolean {
  if (type === 'text') return true;
  const numbers =
    type === 'number' && decimal !== 'comma' ? reads.canonicalNumber | reads.pointNumber : reads.canonicalNumber;
  const plain = {
    boolean: reads.canonicalBoolean,
    instant: reads.instant,
    date: reads.canonicalDate,
    integer: numbers,
    number: numbers,
  }[type];
  return tallies.every((one) => (one.readings & plain) !== 0);
}
