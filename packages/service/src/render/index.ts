export { pageSvg } from '@underbell/core/render';
export { drawPdf, drawPng, drawWallPng } from './draw.ts';
export { redraw } from './redraw.ts';
