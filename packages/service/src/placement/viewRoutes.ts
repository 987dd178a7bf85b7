import Joi from 'joi';
import type { TokenViewer } from '@underbell/core/access';
import { isRefusal } from '@underbell/core/refusal';
import { thing } from '../access/index.ts';
import { defineRoute, hostOf, type Route } from '../platform/index.ts';
import { pageRoutes, pictureRoute, type Prepare } from '../view/index.ts';
import { noteProblem } from './placementUsage.ts';
import { askToSee, pictureOfPlacement, preparePlacement, viewPlacedBoard, watchedBoard, type Visitor } from './view.ts';

type WhoAsks = Parameters<Prepare>[0];

// Who is signed in is asked for only where no token came: it throws where nobody is.
const visitorOf = (asked: WhoAsks): Visitor => ({
  ...(asked.client ? { client: asked.client as TokenViewer } : { person: asked.person }),
  host: hostOf(asked.app, asked.ctx),
});

/** What keeps a visitor out is told to whoever placed it: how often, not whom. */
async function noted<T>({ app, params }: WhoAsks, look: () => Promise<T>): Promise<T> {
  try {
    return await look();
  } catch (error) {
    noteProblem(app, params.name, isRefusal(error) ? error.code : 'INTERNAL');
    throw error;
  }
}

/** What visitors of a placement ask for. */
export const placeViewRoutes: Route[] = [
  ...pageRoutes(
    '/api/v1/placements/:name',
    'viewer',
    'the visitor',
    (asked, request) => noted(asked, () => preparePlacement(asked.app, asked.params.name, visitorOf(asked), request)),
    {
      view: (asked, request) =>
        noted(asked, () => viewPlacedBoard(asked.app, asked.params.name, visitorOf(asked), request)),
      watched: (asked, request) => watchedBoard(asked.app, asked.params.name, visitorOf(asked), request),
    },
  ),
  pictureRoute('/api/v1/placements/:name', 'a placement', pictureOfPlacement),
  defineRoute({
    method: 'post',
    path: '/api/v1/access-requests',
    isForReaders: true,
    tag: 'Access',
    audience: 'person',
    summary: 'Request access to a report or board',
    status: 202,
    body: Joi.object({
      report: thing,
      board: thing,
      placement: thing,
      words: Joi.string().trim().max(2000).allow('').default(''),
    }).xor('report', 'board', 'placement'),
    async handle({ app, person, body, origin }) {
      await askToSee(app, person, body, origin);
      return { isAsked: true };
    },
  }),
];
