export { closeApp, momentOf, openApp, type App } from './app.ts';
export { remember, verifyAudit, type AuditEntry } from './audit.ts';
export type { Lane, Lanes } from './lanes.ts';
export { migrate } from './migrate.ts';
export { enqueue, Worker, type Job, type JobHandler } from './queue.ts';
export { defineRecord, plain, type RecordTable } from './records.ts';
export { readSettings, type Settings } from './settings.ts';
export { fingerprint, hashPassword, isPassword, isSameSecret, randomKey, Vault } from './vault.ts';
export { defineRoute, type Answer, type Request, type Route } from './http/index.ts';
