export { mountDirectory } from './routes.ts';
