export { saveBurst } from './usecases.ts';
export { listenForBounces } from './bounces.ts';
export { cutRows } from './cut.ts';
export { makeCopies } from './make.ts';
export { prepareBurst, type PreparedBurst } from './prepare.ts';
export { readAnswers } from './render.ts';
export { openMakePool } from './makePool.ts';
