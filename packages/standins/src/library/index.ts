export { LibraryHost, type LibraryHostOptions } from './libraryHost.ts';
