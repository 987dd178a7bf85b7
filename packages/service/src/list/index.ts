export { findList, listRecipients, type ListRow } from './store.ts';
export { currentList, requireList } from './usecases.ts';
