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
export { arrange, freePlace, withinGrid } from './arrange.ts';
export { renamedInBoard } from './renamed.ts';
export type { ListedBoard, OfferedReport } from './answers.ts';
