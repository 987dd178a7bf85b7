export { findBoard, listBoards, type BoardRow } from './store.ts';
