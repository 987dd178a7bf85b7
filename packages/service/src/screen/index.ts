export { flushBeats } from './heartbeats.ts';
