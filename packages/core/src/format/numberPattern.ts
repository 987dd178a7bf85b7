/** How a number is shown, read from a Unicode number pattern. */
interface NumberShape {
  readonly minimumFractionDigits: number;
  readonly maximumFractionDigits: number;
  readonly useGrouping: boolean;
  readonly scale: number;
  readonly prefix: string;
  readonly suffix: string;
}

const pattern = /^([^#0.,%‰]*)([#0,]+)(?:\.([0#]+))?([^#0]*)$/u;
const shapes = new Map<string, NumberShape>();
const formatters = new Map<string, Intl.NumberFormat>();

function readPattern(text: string): NumberShape {
  const known = shapes.get(text);
  if (known) return known;
  const match = pattern.exec(text);
  const whole = match?.[2] ?? '#,##0';
  const fraction = match?.[3] ?? '';
  const suffix = match?.[4] ?? '';
  const shape: NumberShape = {
    minimumFractionDigits: fraction.replaceAll('#', '').length,
    maximumFractionDigits: fraction.length,
    useGrouping: whole.includes(','),
    scale: suffix.includes('%') ? 100 : suffix.includes('‰') ? 1000 : 1,
    prefix: match?.[1] ?? '',
    suffix,
  };
  shapes.set(text, shape);
  return shape;
}

/**
 * A number pattern that says something: digits grouped by threes or not at all, at most ten decimals, words before and after
 * that are no digits, and one per cent or per mille sign at most, behind.
 */
export const numberPattern =
  /^[^#0-9.,%‰]{0,12}(?:#{1,3},##0|#,000|0{1,3}(?:,000)+|#{0,3}0{1,15}|#{1,3})(?:\.(?:0{1,10}#{0,10}|#{1,10}))?[^#0-9.,%‰]{0,12}[%‰]?[^#0-9%‰]{0,12}$/u;

/** Whether a text is a number pattern this product understands. @see Unicode TR 35, part 3, section 3 */
export function isNumberPattern(text: string): boolean {
  return numberPattern.test(text);
}

/**
 * Shows a number by a Unicode number pattern in a language.
 *
 * @param format - for example `#,##0.0` or `0.0 %`; whole numbers with grouping when left out
 */
export function formatNumber(value: number, format: string | undefined, locale: string): string {
  const shape = readPattern(format ?? (Number.isInteger(value) ? '#,##0' : '#,##0.##'));
  const key = `${locale}|${shape.minimumFractionDigits}|${shape.maximumFractionDigits}|${shape.useGrouping}`;
  let formatter = formatters.get(key);
  if (!formatter) {
    formatter = new Intl.NumberFormat(locale, {
      minimumFractionDigits: shape.minimumFractionDigits,
      maximumFractionDigits: shape.maximumFractionDigits,
      useGrouping: shape.useGrouping,
    });
    formatters.set(key, formatter);
  }
  return `${shape.prefix}${formatter.format(value * shape.scale)}${shape.suffix}`;
}
