export { flushHeartbeats } from './heartbeats.ts';
