export { MailRoad, messageIdOf, type MailCopy } from './mail.ts';
