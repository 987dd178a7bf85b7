export { flushBeats } from './beats.ts';
