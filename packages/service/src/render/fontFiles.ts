import { createRequire } from 'node:module';

const require = createRequire(import.meta.resolve('@underbell/core/render'));
const fontFile = (file: string) => require.resolve(`@expo-google-fonts/source-sans-3/${file}`);

/** Paths of the fonts of everything that is drawn. */
export const fontFiles = {
  regular: fontFile('400Regular/SourceSans3_400Regular.ttf'),
  semibold: fontFile('600SemiBold/SourceSans3_600SemiBold.ttf'),
};
