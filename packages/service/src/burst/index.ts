export { saveBurst } from './usecases.ts';
export { listenForBounces } from './bounces.ts';
export { prepareBurst, type PreparedBurst } from './prepare.ts';
