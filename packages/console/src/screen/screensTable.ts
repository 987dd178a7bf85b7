import type { ListedScreen } from '@underbell/core/screen';
import { showInstant } from '../platform/format.ts';

/** What is said of a screen, as a form has it. */
export interface ScreenWords {
  title: string;
  group: string;
  timeZone: string;
  language: string;
  attributes: Record<string, string>;
}

/** The same as it is sent: what nothing is said of is left out. */
export const saidOf = ({ attributes, ...rest }: ScreenWords): ScreenWords => ({
  ...rest,
  attributes: Object.fromEntries(Object.entries(attributes).filter(([, value]) => value.trim() !== '')),
});

/** When the figures that a screen shows were loaded. */
export const dataAge = ({ shown }: Pick<ListedScreen, 'shown'>): string =>
  typeof shown?.asOf === 'number' ? showInstant(new Date(shown.asOf).toISOString()) : '–';
