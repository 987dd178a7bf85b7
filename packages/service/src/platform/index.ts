export {
  checkReach,
  connectGuarded,
  GuardedHttp,
  GuardedSocket,
  guardRefusal,
  isSameAddress,
  type AddressPolicy,
  type AllowedAddress,
} from './addressPolicy.ts';
export { closeApp, momentOf, openApp, type App, type Clocks } from './app.ts';
export { joinInstallation } from './heartbeat.ts';
export { connectionsGiven, listProcesses, runningWorkers } from './processes.sql.ts';
export { readAudit, remember, verifyAudit, type AuditEntry, type AuditFilter } from './audit.ts';
export {
  eventJobs,
  hearersIn,
  lostBy,
  thingsOf,
  type Capability,
  type AccessProvider,
  type References,
} from './capability.ts';
export { emit } from './events.ts';
export type { EventName, Events } from './eventNames.ts';
export {
  folderOfEach,
  forgetFormerName,
  forgetFormerNames,
  keepFormerName,
  deleteResourceData,
  redirects,
  giveName,
  holdName,
  isThing,
  nameNow,
  thingNames,
} from './names.ts';
export {
  userOf,
  type KeyAsked,
  type Admission,
  type PlaceVisitor,
  type CompanyVariantResolver,
  type ColumnsChange,
  type Impact,
  type Named,
  type ThingId,
  type ThingTexts,
  type ThingUse,
} from './resources.ts';
export { announce } from './notify.sql.ts';
export type { Change, ChangeFeed } from './changes.ts';
export { hasActiveReaders } from './readerActivity.sql.ts';
export { laneBounds, type PoolName, type ConnectionPools } from './connectionPools.ts';
export { countAttempt, countTogether, limitFailures, limitGuesses, type LimitName } from './limits.ts';
export { forgetUses, lastUsesOf, noteUse } from './lastUse.ts';
export { changeRecordVersion, recordVersion } from './recordVersion.sql.ts';
export { recall, versionRead, withMemory } from './memory.ts';
export { migrate } from './migrate.ts';
export { isConnectionLost, retry } from './retry.ts';
export {
  enqueue,
  enqueueOnce,
  holdLease,
  hurry,
  listFailedJobs,
  renameInJobs,
  retryFailed,
  type Job,
} from './queue.sql.ts';
export { TryLater, Worker, type Handlers, type JobHandler } from './queue.ts';
export { noteDecision, type Decision } from './decisions.ts';
export { Batch } from './batch.ts';
export { perInstance } from './perInstance.ts';
export { programVersion } from './programVersion.ts';
export { giveWayWhole, watchStarving } from './priority.ts';
export {
  all,
  amongNames,
  querySql,
  changeNames,
  declaredModels,
  highest,
  lockAll,
  lockResource,
  one,
  outsideTransaction,
  plain,
  renameElement,
  renameKey,
  renameWord,
  rows,
  type AnyModel,
  type RecordModel,
} from './records/index.ts';
export { settingRows } from './models.ts';
export { readSettings, type Settings, type UploadLimits } from './settings.ts';
export { forgetSpent } from './cleanup.sql.ts';
export { answerOf, runInThread, type ThreadAnswer } from './workerThread.ts';
export { forEachIsolated, mapConcurrent, together, turns } from './concurrency.ts';
export { busyMs, trackUsage, tell, type Usage } from './usageTracker.ts';
export {
  runAs,
  connectionShares,
  takeConnection,
  takeDownload,
  takeStream,
  type AskerKey,
} from './concurrencyLimits.ts';
export { isDiskFull, receiveBytes, receiveFile, refuseSpace } from './uploads.ts';
export { IdleTimeout } from './idleTimeout.ts';
export { useNonce } from './nonces.sql.ts';
export { fingerprint, hashPassword, isPassword, isSameSecret, randomKey, Vault } from './encryption.ts';
export {
  cookieName,
  defineRoute,
  formatRoute,
  readInput,
  type Answer,
  type Request,
  type Route,
} from './http/index.ts';
export { isLoopbackAddress } from './addresses.ts';
export { hostOf, originSets, requireHost } from './hosts.ts';
