export { ownCharts, WorksApp, type WorksQuay, type WorksSetup } from './app/index.ts';
export {
  ChatHost,
  furnish,
  type FirstTeam,
  type ChatHostOptions,
  type ChatUser,
  type Registration,
} from './chat/index.ts';
export { Directory, type DirectoryGroup, type DirectoryOptions, type DirectoryPerson } from './directory/index.ts';
export { LibraryHost, type LibraryHostOptions } from './library/index.ts';
export { createMailboxPages, MailHost, type MailHostOptions, type StoredMail } from './mail/index.ts';
export { playDevices, ScreenDevice, type KeptDevice, type ScreensFile } from './screen/index.ts';
export { createPortal, type PortalSetup } from './portal/index.ts';
