export { defineDataset } from './usecases.ts';
export { impactOf, refuseBreaks } from './impact.ts';
export { scheduleBody } from './schemas.ts';
export { loadUpload } from './uploads.ts';
