export { burstRoutes } from './routes.ts';
export { runBurstJob } from './jobs.ts';
export { loadList, saveBurst } from './usecases.ts';
export { cutRows } from './cut.ts';
export { prepareBurst } from './prepare.ts';
