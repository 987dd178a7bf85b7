export { chartSvg } from './chartSvg.ts';
export { parseFonts, type PrintFonts } from './fonts.ts';
export { bandsOf, type Band, type PageScene } from './pageScene.ts';
export { renderPdf } from './pdf.ts';
export { pageSvg, renderPng } from './png.ts';
export { redrawSvg } from './redraw.ts';
export {
  drawWall,
  pictureTop,
  sheetsOn,
  wallOverSvg,
  wallPageSvg,
  wallWordsSvg,
  type WallPage,
  type WallSigns,
  type WallSize,
} from './screenLayout.ts';
