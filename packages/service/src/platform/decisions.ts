import { AsyncLocalStorage } from 'node:async_hooks';
import type { RightLevel, ThingKind } from '@underbell/core/access';

/** Something that was decided of whoever asks, in their favour. */
export type Decision =
  | { readonly what: 'right'; readonly level: RightLevel; readonly kind: ThingKind; readonly name: string }
  | { readonly what: 'maker'; readonly kind: ThingKind }
  | { readonly what: 'administrator' };

const decided = new AsyncLocalStorage<Decision[]>();

/** Notes what was decided, for a request whose answer may be given once more. */
export const noteDecision = (decision: Decision): void => void decided.getStore()?.push(decision);

/** Does work and tells what was decided meanwhile, each once. */
export async function withDecisions<T>(work: () => Promise<T>): Promise<{ made: T; decisions: Decision[] }> {
  const all: Decision[] = [];
  const made = await decided.run(all, work);
  const each = new Map(all.map((one) => [JSON.stringify(one), one]));
  return { made, decisions: [...each.values()] };
}
