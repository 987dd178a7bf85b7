export { MailRoad, messageIdOf, type MailCopy } from './mail.ts';
export { isFailing, type CopyFile, type PlacedCopy, type Road } from './road.ts';
export { findDestination, forgetOldTurns, noteFailure, noteSuccess, takeTurn, type Turn } from './store.ts';
export { lookAgain, openMail, openRoad, requireDestination } from './usecases.ts';
