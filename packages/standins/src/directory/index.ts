export { Directory, type DirectoryOptions } from './directory.ts';
export { ScimPusher } from './scimPusher.ts';
export type { DirectoryGroup, DirectoryPerson } from './scimPusher.ts';
