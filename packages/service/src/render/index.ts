export { drawPdf, drawPng } from './draw.ts';
