export { contrast, cssVariables, dark, fontFamily, light, themeFrom, type ThemeTokens } from './tokens.ts';
export { shorten, textWidth } from './textWidth.ts';
