export { currentDefinitions, findEdition, type Edition } from './store.ts';
export { checkReport, publishReport } from './usecases.ts';
