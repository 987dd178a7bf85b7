export { formatNumber, isNumberPattern } from './numberPattern.ts';
export { formatCell, formatDate, formatStep, missingMark, type ReaderTaste, type ShownColumn } from './cells.ts';
