export { cancelQuery, copyFrom, copyOut, sourceRefusal, withSource } from './postgres.ts';
export { readRowFrames, type RowReading } from './rowFrames.ts';
export { listSources, putSource, sourceUrl, takeCheck } from './store.ts';
export { connectLive } from './pool.ts';
export { askSource, checkSource, requireReader } from './check.ts';
export { checkStatement, readingOnly } from './statement.ts';
