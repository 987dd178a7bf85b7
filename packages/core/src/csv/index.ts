export { csvField, csvLine, csvLineEnd } from './csv.ts';
export { CsvLines } from './lines.ts';
export { formulaStartSql, looksLikeFormula, withoutFormula } from './formula.ts';
export { InstantFields } from './instants.ts';
