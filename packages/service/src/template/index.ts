export { openTemplate, requireTemplate } from './usecases.ts';
export { findTemplate, type TemplateRow } from './store.ts';
