export { csvField, csvLine, csvLineEnd } from './csv.ts';
export { CsvLineEnds } from './lineEnds.ts';
