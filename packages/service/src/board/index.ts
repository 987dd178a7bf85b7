export type { BoardRow } from './models.ts';
export { findBoard, listBoards } from './store.ts';
