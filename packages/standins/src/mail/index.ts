export { MailHost, type MailHostOptions, type StoredMail } from './mailHost.ts';
export { createMailboxPages } from './mailboxPage.ts';
