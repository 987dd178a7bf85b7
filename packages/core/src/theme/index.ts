export { cssVariables, dark, fontFamily, light, type ThemeTokens } from './tokens.ts';
