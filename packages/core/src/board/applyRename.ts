import { keysAfter, nameAfter, type Renaming } from '../access/names.ts';
import type { BoardDefinition } from './board.ts';

/** A board's definition after it, or a report or dataset that it shows, was given another name. */
export function renamedInBoard(board: BoardDefinition, thing: Renaming, to: string): BoardDefinition {
  return {
    ...board,
    name: nameAfter(board.name, 'board', thing, to),
    figures: board.figures.map((figure) => ({
      ...figure,
      report: nameAfter(figure.report, 'report', thing, to),
      ...(figure.where ? { where: keysAfter(figure.where, 'dataset', thing, to) } : {}),
    })),
  };
}
