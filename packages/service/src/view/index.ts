export {
  prepare,
  fix,
  revisionFor,
  revisionsOf,
  tokenBounds,
  type Place,
  type PreparedView,
  type Subject,
  type ViewRequest,
} from './prepare.ts';
export { filterWords } from './choices.ts';
export { answerAhead } from './prefetch.ts';
export { explainLimits, mayLookAtRows } from './explain.ts';
export { limitWords, sceneOf } from './exports.ts';
export { pictureOfAnswer, pictureOfView, pictureRoute } from './thumbnail.ts';
export { dataFigures, readOne, refusalFor, seesTheSame } from './figures.ts';
export { metered, showPage } from './page.ts';
export { limitsOf, parameterWords, showView } from './show.ts';
export { sightOf, streamChanges, type Watched } from './events.ts';
export {
  answerShown,
  pageRoutes,
  readRecord,
  readRequest,
  viewQuery,
  viewWords,
  type Prepare,
  type ViewQuery,
} from './pageRoutes.ts';
