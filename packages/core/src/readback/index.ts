export { checkArchive, checkArchiveBytes, type ReadBytes } from './archive.ts';
export { makeChecked } from './damage.ts';
export { checkPdf } from './pdf.ts';
export { checkPng } from './png.ts';
