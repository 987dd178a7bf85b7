export { defineDataset } from './usecases.ts';
export { impactOf, refuseBreaks } from './impact.ts';
