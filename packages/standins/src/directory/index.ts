export { Directory, type DirectoryOptions } from './directory.ts';
export type { DirectoryGroup, DirectoryPerson } from '../scim/index.ts';
