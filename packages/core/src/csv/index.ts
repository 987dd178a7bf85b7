export { csvField, csvLine, csvLineEnd } from './csv.ts';
export { CsvLineEnds } from './lineEnds.ts';
export { formulaStartSql, looksLikeFormula, withoutFormula } from './formula.ts';
