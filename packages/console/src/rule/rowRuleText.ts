import type { MaskHolder, RowRule } from '@underbell/core/access';

/** Whom a rule or mask is for. */
export function holderWords(holder: RowRule['appliesTo'] | MaskHolder): string {
  if (holder.kind === 'everyone') return 'everyone';
  return holder.kind === 'place' ? `every ${holder.name}` : holder.name;
}
