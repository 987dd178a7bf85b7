export { saveBurst } from './usecases.ts';
export { prepareBurst, type PreparedBurst } from './prepare.ts';
