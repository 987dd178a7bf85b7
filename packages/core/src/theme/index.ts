export { cssVariables, dark, fontFamily, light, seriesColours, type ThemeTokens } from './tokens.ts';
