import { readonly, ref, shallowRef, watchEffect } from 'vue';
import type { BoardTheme } from '@underbell/core/board';
import type { PlacementTheme } from '@underbell/core/placement';
import { cssVariables, dark, fontFamily, light, themeFrom, type ThemeTokens } from '@underbell/core/theme';

/** What a host page may say about looks. */
export interface HostTheme {
  readonly scheme?: 'light' | 'dark';
  readonly colours?: BoardTheme;
  readonly font?: string;
  readonly language?: string;
}

const prefersDark = window.matchMedia('(prefers-color-scheme: dark)');
const isSystemDark = ref(prefersDark.matches);
prefersDark.addEventListener('change', () => (isSystemDark.value = prefersDark.matches));

const host = shallowRef<HostTheme>({});
const board = shallowRef<BoardTheme>();
/** What the placement wants, whatever the host says. */
const fixedScheme = ref<'light' | 'dark'>();
const tokens = shallowRef<ThemeTokens>(light);
const font = ref(fontFamily);

/** Nothing but a list of family names gets into the style sheet. */
const fontPattern = /^[\w ,'"-]{1,200}$/;
const colourPattern = /^#[0-9a-f]{6}$/i;

const sheet = document.createElement('style');
document.head.append(sheet);
watchEffect(() => {
  const { scheme, colours, font: wanted } = host.value;
  const wantedScheme = fixedScheme.value ?? scheme;
  const isDark = wantedScheme === undefined ? isSystemDark.value : wantedScheme === 'dark';
  const chosen = board.value ?? (fixedScheme.value === undefined ? colours : undefined);
  tokens.value = chosen ? themeFrom(chosen) : isDark ? dark : light;
  font.value = wanted && fontPattern.test(wanted) ? `${wanted}, ${fontFamily}` : fontFamily;
  const native = chosen === undefined ? (isDark ? 'dark' : 'light') : 'normal';
  sheet.textContent = `:root { --font: ${font.value}; color-scheme: ${native}; ${cssVariables(tokens.value)} }`;
});

/** The colours of this page: the host's, the board's, or the reader's own choice of light and dark. */
export function useTheme() {
  return { tokens: readonly(tokens), font: readonly(font) };
}

export function setHostTheme(theme: HostTheme): void {
  const { colours } = theme;
  const isSound = colours && [colours.background, colours.figure, colours.text].every((one) => colourPattern.test(one));
  host.value = { ...theme, ...(isSound ? { colours } : { colours: undefined }) } as HostTheme;
}

export function setBoardTheme(theme: BoardTheme | undefined): void {
  board.value = theme;
}

export function setPlacementTheme(theme: PlacementTheme | undefined): void {
  fixedScheme.value = theme === 'host' ? undefined : theme;
}

export const hostLanguage = (): string | undefined => host.value.language;
