export { fileOf as pathOfFile } from './files.ts';
export type { VersionRow } from './models.ts';
export { serveFile } from './serve.ts';
export { findVersion } from './store.ts';
export { requireVersion } from './usecases.ts';
