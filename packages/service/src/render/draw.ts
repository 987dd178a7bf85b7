import { readFileSync } from 'node:fs';
import { drawWall, parseFonts, renderPdf, renderPng, type PageScene, type PrintFonts } from '@underbell/core/render';
import { fontFiles } from './fontFiles.ts';

let fonts: PrintFonts | undefined;

/** The fonts of everything printed, parsed once a process. */
export function printFonts(): PrintFonts {
  fonts ??= parseFonts({ regular: readFileSync(fontFiles.regular), semibold: readFileSync(fontFiles.semibold) });
  return fonts;
}

const files = Object.values(fontFiles);
export const drawPdf = (scene: PageScene): Promise<Buffer> => renderPdf(scene, printFonts());
export const drawPng = (scene: PageScene): Buffer => renderPng(scene, files);
export const drawWallPng = (svg: string): Promise<Buffer> => drawWall(svg, files);
