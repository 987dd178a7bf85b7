export { MailTransport, messageIdOf, type MailCopy } from './mail.ts';
export { isFailing, type CopyFile, type PlacedCopy, type Transport } from './transport.ts';
export { findDestination, forgetOldTurns, noteFailure, noteSuccess, takeTurn, type Turn } from './store.ts';
export { lookAgain, openMail, openTransport, requireDestination } from './usecases.ts';
