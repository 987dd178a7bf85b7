export {
  boardFormat,
  boardSchema,
  leastContrast,
  overlaps,
  validateBoard,
  type BoardDefinition,
  type BoardFigure,
  type BoardFrame,
  type BoardTheme,
} from './board.ts';
export { arrange, freePlace, withinGrid } from './layout.ts';
export { renamedInBoard } from './applyRename.ts';
export type { ListedBoard, OfferedReport } from './apiTypes.ts';
