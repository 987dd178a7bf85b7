export { formatNumber, isNumberPattern, numberPattern } from './numberPattern.ts';
export {
  dateWriter,
  formatCell,
  formatDate,
  formatInstant,
  formatStep,
  missingMark,
  type FormatOptions,
  type ShownColumn,
} from './cells.ts';
export { printable } from './printable.ts';
export { isTimeZone, offsetAt, writeInstant } from './instants.ts';
