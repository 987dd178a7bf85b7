import type { Capability } from '../platform/index.ts';

/** Pages drawn with the fonts of everything printed. */
export const render: Capability = { name: 'render' };
