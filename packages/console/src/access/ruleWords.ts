import type { MaskEffect, MaskHolder, RecordRule } from '@underbell/core/access';

/** Whom a rule or mask is for. */
export function holderWords(holder: RecordRule['appliesTo'] | MaskHolder): string {
  if (holder.kind === 'everyone') return 'everyone';
  return holder.kind === 'place' ? `every ${holder.name}` : holder.name;
}

/** What a mask does. */
export function maskWords(effect: MaskEffect): string {
  if (effect.kind === 'small groups') return `keeps groups of fewer than ${effect.rows} rows back`;
  if (effect.kind === 'hide') return `hides ${effect.column}`;
  const { by } = effect;
  if (by.to === 'column') return `shows ${by.column} instead of ${effect.column}`;
  return by.to === 'band' ? `shows ${effect.column} in steps of ${by.width}` : `shows ${effect.column} by ${by.to}`;
}
