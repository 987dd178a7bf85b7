export type { ListRow } from './models.ts';
export { findList, listRecipients } from './store.ts';
export { currentList, requireList } from './usecases.ts';
