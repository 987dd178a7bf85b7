export type { BoardRow } from './models.ts';
export { findBoard, listBoards } from './store.ts';
export { boardDatasetNames, boardDatasets, saveBoard, viewBoard } from './usecases.ts';
