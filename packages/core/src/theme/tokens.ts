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

/** The tokens as CSS custom properties, for a style element. */
export function cssVariables(tokens: ThemeTokens): string {
  return Object.entries(tokens)
    .filter((entry): entry is [string, string] => typeof entry[1] === 'string')
    .map(([name, value]) => `--${name}: ${value};`)
    .join(' ');
}
