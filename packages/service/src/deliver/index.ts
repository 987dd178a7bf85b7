export { deleteOldSends, noteFailure, acquireSlot, type Turn } from './rateLimit.sql.ts';
export { listenForBounces } from './bounces.ts';
export {
  copiesTo,
  countDeliveries,
  countEach,
  cutOfDelivery,
  findDelivery,
  lastSentAt,
  listDeliveries,
  moveDeliveries,
  openLedger,
  sentBefore,
  sentCopies,
  sentOccurrences,
  type CopyCounts,
  type LedgerLine,
} from './deliveryLog.ts';
export { bouncedBefore } from './deliveryLog.sql.ts';
export { findLink, linksOf, linksTo, livingLinks, noteFetched, recall } from './links.ts';
export type { DeliveryRow, MadeFile } from './models.ts';
export { DestinationUnavailable, sendCopies, settleInterrupted } from './send.ts';
export type { Sending } from './deliveryJob.ts';
export { MailTransport, messageIdOf, type MailCopy } from './mail.ts';
export { isFailing, type CopyFile, type PlacedCopy, type Transport } from './transport.ts';
export { findDestination, noteSuccess } from './store.ts';
export { openMail, openTransport, requireDestination } from './usecases.ts';
