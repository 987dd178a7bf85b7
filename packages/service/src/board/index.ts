export { boardRoutes } from './routes.ts';
export { findBoard, listBoards, type BoardRow } from './store.ts';
