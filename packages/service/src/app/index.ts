export { originsOfApp } from './origins.ts';
