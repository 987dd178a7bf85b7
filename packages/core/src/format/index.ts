export { formatNumber, isNumberPattern } from './numberPattern.ts';
export { formatCell, formatDate, missingMark, type ReaderTaste, type ShownColumn } from './cells.ts';
