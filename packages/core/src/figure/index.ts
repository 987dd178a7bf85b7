export { numberText, trendPaths, type NumberText } from './numberText.ts';
export { textTable, type TextCell, type TextTable } from './tableText.ts';
export { pageNumbers } from './pageNumbers.ts';
