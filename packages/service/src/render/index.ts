export { pageSvg } from '@underbell/core/render';
export { drawPdf, drawPng, drawWallPng } from './draw.ts';
export { drawInTurn } from './imageQueue.ts';
export { redraw } from './redraw.ts';
