export { csvField, csvLine } from './csv.ts';
