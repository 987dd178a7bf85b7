import type { LimitPart } from './effectiveFilter.ts';

/** Whether a limit only ever sees what its viewer is shown: masked values, of rows that the other limits let through. */
export function isOutside(part: LimitPart): boolean {
  return part.isOutside ?? !part.isFixed;
}

/** The order in which limits apply: none sees a row that one before it left out. */
export function layerOf(part: LimitPart): number {
  if (isOutside(part)) return 3;
  return part.origin === 'record rule' ? 0 : part.origin === 'token' ? 1 : 2;
}
