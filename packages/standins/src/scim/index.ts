export { ScimPusher, type DirectoryGroup, type DirectoryPerson } from './scimPusher.ts';
