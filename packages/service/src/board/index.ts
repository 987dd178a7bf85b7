export { boardFrameOrigins } from './frames.ts';
export type { BoardRow } from './models.ts';
export { findBoard, isBoardBinned, listBoards } from './store.ts';
export {
  boardDatasetNames,
  boardDatasets,
  checkBoard,
  drawBoard,
  glanceAtBoard,
  prepareBoard,
  saveBoard,
  viewBoard,
} from './usecases.ts';
