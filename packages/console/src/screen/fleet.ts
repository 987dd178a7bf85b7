import type { ListedScreen, ScreenState } from '@underbell/core/screen';
import { showInstant } from '../platform/words.ts';

/** In the order in which they want somebody. */
export const states: readonly ScreenState[] = ['silent', 'failing', 'stale', 'behind', 'fine', 'closed'];

export const stateWords: Readonly<Record<ScreenState, string>> = {
  silent: 'silent',
  failing: 'failing',
  stale: 'stale',
  behind: 'behind',
  fine: 'fine',
  closed: 'closed',
};

/** When the figures that a screen shows were loaded. */
export const dataAge = ({ shown }: Pick<ListedScreen, 'shown'>): string =>
  typeof shown?.asOf === 'number' ? showInstant(new Date(shown.asOf).toISOString()) : '–';
