/** The colours that console, viewer, print and mail share. */
export interface ThemeTokens {
  readonly paper: string;
  readonly raised: string;
  readonly ink: string;
  readonly quiet: string;
  readonly line: string;
  /** Links and the primary action. */
  readonly sea: string;
  /** The single accent: the current place, a bell that is due. */
  readonly brass: string;
  readonly signal: string;
  readonly good: string;
  /** For figures that are not picked while others are. */
  readonly faded: string;
  /** Okabe–Ito, colour-blind safe; in the order in which they stand out from the background. */
  readonly series: readonly string[];
}

export const light: ThemeTokens = {
  paper: '#FBFAF6',
  raised: '#FFFFFF',
  ink: '#10262E',
  quiet: '#55666D',
  line: '#DCDDD6',
  sea: '#1D5468',
  brass: '#80570F',
  signal: '#A8321F',
  good: '#1F6B4A',
  faded: '#C9D3D6',
  // Yellow last: it is never for thin lines.
  series: ['#0072B2', '#D55E00', '#009E73', '#CC79A7', '#56B4E9', '#E69F00', '#F0E442'],
};

export const dark: ThemeTokens = {
  paper: '#0C1B21',
  raised: '#12262E',
  ink: '#E6ECEC',
  quiet: '#9BABB0',
  line: '#2A3E46',
  sea: '#7FB7CB',
  brass: '#D9AE5F',
  signal: '#F08A78',
  good: '#74C69D',
  faded: '#33474F',
  series: ['#56B4E9', '#E69F00', '#009E73', '#CC79A7', '#D55E00', '#0072B2', '#F0E442'],
};

export const fontFamily = "'Source Sans 3', system-ui, sans-serif";
/** Of drawings that stand alone, where no page says which fonts there are. A name with a digit needs its quotes. */
export const drawnFontFamily = "'Source Sans 3', sans-serif";

/** The tokens as CSS custom properties, for a style element. */
export function cssVariables(tokens: ThemeTokens): string {
  return Object.entries(tokens)
    .filter((entry): entry is [string, string] => typeof entry[1] === 'string')
    .map(([name, value]) => `--${name}: ${value};`)
    .join(' ');
}

function luminance(colour: string): number {
  const [red, green, blue] = [1, 3, 5].map((at) => {
    const part = parseInt(colour.slice(at, at + 2), 16) / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}

/** How well one `#rrggbb` colour stands out from another, 1 to 21. @see WCAG 2.2, definition of contrast ratio */
export function contrast(one: string, other: string): number {
  const [light1, light2] = [luminance(one), luminance(other)];
  return (Math.max(light1, light2) + 0.05) / (Math.min(light1, light2) + 0.05);
}

/** A colour between two, `share` of the way from the first to the second. */
function between(from: string, to: string, share: number): string {
  const parts = [1, 3, 5].map((at) => {
    const [a, b] = [parseInt(from.slice(at, at + 2), 16), parseInt(to.slice(at, at + 2), 16)];
    return Math.round(a + (b - a) * share)
      .toString(16)
      .padStart(2, '0');
  });
  return `#${parts.join('')}`;
}

/** All tokens for a page whose maker chose three colours; the rest follows from them and can be read on them. */
export function themeFrom(chosen: { background: string; figure: string; text: string }): ThemeTokens {
  const base = luminance(chosen.figure) > 0.25 ? light : dark;
  const readable = (colour: string) =>
    contrast(colour, chosen.figure) >= 4.5 && contrast(colour, chosen.background) >= 4.5 ? colour : chosen.text;
  return {
    ...base,
    paper: chosen.background,
    raised: chosen.figure,
    ink: chosen.text,
    quiet: readable(between(chosen.text, chosen.figure, 0.28)),
    line: between(chosen.figure, chosen.text, 0.16),
    faded: between(chosen.figure, chosen.text, 0.22),
    sea: readable(base.sea),
    brass: readable(base.brass),
    signal: readable(base.signal),
    good: readable(base.good),
  };
}
