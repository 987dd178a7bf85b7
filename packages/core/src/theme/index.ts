export {
  contrast,
  cssVariables,
  dark,
  drawnFontFamily,
  fontFamily,
  light,
  themeFrom,
  type ThemeTokens,
} from './tokens.ts';
export { shorten, textWidth } from './textWidth.ts';
