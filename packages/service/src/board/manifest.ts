import { checkPlacementFilter } from '@underbell/core/access';
import { renamedInBoard } from '@underbell/core/board';
import {
  lostBy,
  type App,
  type Capability,
  type ColumnsChange,
  type Impact,
  type ThingTexts,
  type ThingUse,
} from '../platform/index.ts';
import { boardRoutes } from './routes.ts';
import { listBoards, rewriteBoards } from './store.ts';
import { boards } from './models.ts';

const texts = async (app: App): Promise<ThingTexts[]> =>
  (await listBoards(app)).map(({ name, title, definition }) => ({
    name,
    title,
    description: definition.description ?? '',
    inside: definition.figures.flatMap((one) => (one.title ? [{ where: 'figure', text: one.title }] : [])),
  }));

const uses = async (app: App): Promise<ThingUse[]> =>
  (await listBoards(app)).flatMap(({ name, definition }) =>
    definition.figures.map(({ report, page, figure, parameters = {} }): ThingUse => ({
      by: { kind: 'board', name },
      of: { kind: 'report', name: report },
      what: 'shows figures of it',
      part: { page, figure, parameters: Object.keys(parameters) },
    })),
  );

async function losses(app: App, change: ColumnsChange): Promise<Impact[]> {
  return (await listBoards(app)).flatMap((board) =>
    board.definition.figures.flatMap((figure) => {
      const text = figure.where?.[change.before.name];
      return text === undefined
        ? []
        : lostBy(change, `board ${board.name}`, (shape) => checkPlacementFilter(text, shape));
    }),
  );
}

/** Pages that gather figures of several reports. */
export const board: Capability = {
  name: 'board',
  models: [boards],
  routes: boardRoutes,
  things: [{ kind: 'board', model: boards, folder: 'folderName', texts }],
  references: {
    uses,
    losses,
    follow: (app, thing, to) => rewriteBoards(app, (definition) => renamedInBoard(definition, thing, to)),
  },
};
