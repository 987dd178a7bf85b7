import Big from 'big.js';

/**
 * A number as filters hold it: a double where that says exactly what the decimal text says, else the decimal text
 * itself without superfluous zeros. Account numbers of 18 digits stay apart, and cents add up.
 */
export type ExactNumber = number | string;

const numberPattern = /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE]([+-]?\d{1,4}))?$/;
const maxExponent = 400;
/** Every decimal of so many digits has a double of its own. */
const exactDigits = 15;

/** Whole division cuts toward zero. */
const Whole = Big();
Whole.DP = 0;
Whole.RM = 0;

/** A decimal in its shortest plain form. */
function normal(value: Big): ExactNumber {
  const digits = value.c.length;
  const isSmall = Math.abs(value.e) < 300;
  if (digits <= exactDigits && isSmall) return value.toNumber() + 0;
  if (digits === 16 && value.e === 15) {
    const number = value.toNumber();
    if (Number.isSafeInteger(number)) return number;
  }
  return value.toFixed();
}

/** Reads a decimal number; undefined when the text is none, or one so large that nobody can mean it. */
export function readNumber(text: string): ExactNumber | undefined {
  const match = numberPattern.exec(text);
  if (match === null || Math.abs(Number(match[1] ?? 0)) > maxExponent) return undefined;
  return normal(new Big(text.replace(/^\+/, '')));
}

/** Order of two numbers as PostgreSQL has it: NaN equals itself and stands above everything. */
export function compareNumbers(a: ExactNumber, b: ExactNumber): number {
  if (typeof a === 'number' && typeof b === 'number') {
    if (a === b) return 0;
    if (Number.isNaN(a)) return Number.isNaN(b) ? 0 : 1;
    if (Number.isNaN(b)) return -1;
    return a < b ? -1 : 1;
  }
  if (typeof a === 'number' && !Number.isFinite(a)) return a === -Infinity ? -1 : 1;
  if (typeof b === 'number' && !Number.isFinite(b)) return b === -Infinity ? 1 : -1;
  return new Big(a).cmp(b);
}

export type ExactOperator = '+' | '-' | '*' | '%' | 'div';

function calculateDoubles(op: ExactOperator, a: number, b: number): number {
  if (op === '+') return a + b;
  if (op === '-') return a - b;
  if (op === '*') return a * b;
  return op === '%' ? a % b : Math.trunc(a / b);
}

/**
 * Exact arithmetic, as PostgreSQL's numeric has it.
 *
 * @returns null for a division by zero, which has no value
 */
export function calculate(op: ExactOperator, a: ExactNumber, b: ExactNumber): ExactNumber | null {
  const isDivision = op === '%' || op === 'div';
  if (isDivision && b === 0) return null;
  if (typeof a === 'number' && typeof b === 'number') {
    const isSpecial = !Number.isFinite(a) || !Number.isFinite(b);
    const quick = isSpecial || (Number.isInteger(a) && Number.isInteger(b)) ? calculateDoubles(op, a, b) : undefined;
    if (quick !== undefined && (isSpecial || Number.isSafeInteger(quick))) return quick + 0;
  }
  if (typeof a === 'number' && !Number.isFinite(a)) return calculateDoubles(op, a, signOf(b));
  if (typeof b === 'number' && !Number.isFinite(b)) {
    // What is left of a finite number by an infinite one is the number itself, however many digits it has.
    return op === '%' && !Number.isNaN(b) ? a : calculateDoubles(op, signOf(a), b);
  }
  const [x, y] = [new Big(a), new Big(b)];
  if (op === '+') return normal(x.plus(y));
  if (op === '-') return normal(x.minus(y));
  if (op === '*') return normal(x.times(y));
  const quotient = new Whole(x).div(y);
  return normal(op === 'div' ? quotient : x.minus(quotient.times(y)));
}

function signOf(value: ExactNumber): number {
  return typeof value === 'number' ? value : value.startsWith('-') ? -1 : 1;
}
