export { burstRoutes } from './routes.ts';
export { saveBurst } from './usecases.ts';
export { cutRows } from './cut.ts';
export { prepareBurst } from './prepare.ts';
