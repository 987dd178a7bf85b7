export { folderRoutes } from './routes.ts';
