import { theme } from 'ant-design-vue';
import { dark, fontFamily, light, type ThemeTokens } from '@underbell/core/theme';

/** A colour laid thinly over another; the library's own mixture of ours is muddy. */
const mix = (over: string, under: string, share: number) =>
  `#${[1, 3, 5]
    .map((at) => {
      const [a, b] = [over, under].map((one) => parseInt(one.slice(at, at + 2), 16)) as [number, number];
      return Math.round(a * share + b * (1 - share))
        .toString(16)
        .padStart(2, '0');
    })
    .join('')}`;
/** What lies behind messages of a kind, and around them. */
const mixed = (kind: string, colour: string, ground: string) => ({
  [`color${kind}Bg`]: mix(colour, ground, 0.08),
  [`color${kind}Border`]: mix(colour, ground, 0.45),
});

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
      ...mixed('Error', tokens.signal, tokens.raised),
      ...mixed('Warning', tokens.brass, tokens.raised),
      ...mixed('Success', tokens.good, tokens.raised),
      ...mixed('Info', tokens.sea, tokens.raised),
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
