export { framersOfFolder } from './collection.ts';
