import type { BundledKind } from '../access/resources/index.ts';

/** What a followed file becomes: the next edition of a report, a board, the next revision of a dataset. */
export const followedKinds = ['report', 'board', 'dataset'] as const satisfies readonly BundledKind[];
export type FollowedKind = (typeof followedKinds)[number];

/** What is wrong with a followed file; what was there before it stays. `At`: an instant, a `Date` before it is sent. */
export interface FollowProblem<At = string> {
  readonly code: string;
  readonly message: string;
  readonly since: At;
}

/** A file of elsewhere that is followed, as the API answers it. */
export interface ShownFollowed<At = string> {
  readonly name: string;
  readonly kind: FollowedKind;
  /** What it becomes; a report's or board's is known once it was read. */
  readonly thing?: string;
  readonly address: string;
  readonly user?: string;
  readonly hasPassword: boolean;
  /** RFC 5545 rule with its start and zone. */
  readonly schedule?: { readonly rule: string; readonly start: string; readonly timeZone: string };
  readonly nextAt?: At;
  readonly hasHook: boolean;
  /** With whose rights it is taken over. */
  readonly owner: string | null;
  readonly checkedAt?: At;
  readonly changedAt?: At;
  readonly problem?: FollowProblem<string>;
}

/** What came of looking at a followed file. */
export interface FollowOutcome {
  readonly state: 'changed' | 'unchanged' | 'failed';
  readonly words: string;
}
