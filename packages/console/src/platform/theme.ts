import { theme } from 'ant-design-vue';
import { dark, fontFamily, light, type ThemeTokens } from '@underbell/core/theme';

/** The product's tokens in the words of the component library. */
export function componentTheme(isDark: boolean) {
  const tokens: ThemeTokens = isDark ? dark : light;
  return {
    algorithm: isDark ? theme.darkAlgorithm : theme.defaultAlgorithm,
    token: {
      colorPrimary: tokens.sea,
      colorLink: tokens.sea,
      colorError: tokens.signal,
      colorSuccess: tokens.good,
      colorWarning: tokens.brass,
      colorBgBase: tokens.raised,
      colorBgLayout: tokens.paper,
      colorTextBase: tokens.ink,
      colorTextSecondary: tokens.quiet,
      colorTextDescription: tokens.quiet,
      colorTextPlaceholder: tokens.quiet,
      colorBorderSecondary: tokens.line,
      colorTextLightSolid: isDark ? dark.paper : '#FFFFFF',
      fontFamily,
      fontSize: 15,
      borderRadius: 4,
      wireframe: false,
      motion: !window.matchMedia('(prefers-reduced-motion: reduce)').matches,
    },
    components: { Table: { colorTextHeading: tokens.quiet, padding: 10, paddingContentVerticalLG: 8 } },
  };
}
