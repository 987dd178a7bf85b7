import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { parseFonts, renderPdf, renderPng, type PageScene, type PrintFonts } from '@underbell/core/render';

const require = createRequire(import.meta.resolve('@underbell/core/render'));
const fontFile = (file: string) => require.resolve(`@expo-google-fonts/source-sans-3/${file}`);
const files = {
  regular: fontFile('400Regular/SourceSans3_400Regular.ttf'),
  semibold: fontFile('600SemiBold/SourceSans3_600SemiBold.ttf'),
};
let fonts: PrintFonts | undefined;

/** The fonts of everything printed, parsed once a process. */
export function printFonts(): PrintFonts {
  fonts ??= parseFonts({ regular: readFileSync(files.regular), semibold: readFileSync(files.semibold) });
  return fonts;
}

export const drawPdf = (scene: PageScene): Promise<Buffer> => renderPdf(scene, printFonts());
export const drawPng = (scene: PageScene): Buffer => renderPng(scene, Object.values(files));
