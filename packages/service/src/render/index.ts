export { pageSvg } from '@underbell/core/render';
export { drawPdf, drawPng } from './draw.ts';
