import type { TokenAction } from '../access/index.ts';

/** A program with its bounds, as those who may know of it see it. `At`: an instant, a `Date` before it is sent. */
export interface ShownClient<At = string> {
  readonly id: string;
  readonly title: string;
  readonly state: 'active' | 'revoked';
  readonly signsIn: 'by its own key' | 'by a secret';
  readonly reports: readonly string[];
  readonly actions: readonly TokenAction[];
  readonly maxLifetimeSeconds: number;
  readonly mayNamePersons: boolean;
  readonly origins?: readonly string[];
  readonly mustFilter?: readonly string[];
  readonly requiresProof?: boolean;
  readonly directoryId?: string;
  /** Until when the secret before the last one holds. */
  readonly formerUntil?: At;
}

/** A key that tokens are signed with. `At`: an instant, a `Date` before it is sent. */
export interface ShownSigningKey<At = string> {
  readonly id: string;
  readonly algorithm: string;
  readonly createdAt: At;
  readonly signsFrom: At;
  /** From when on tokens that it signed count no more. */
  readonly retiredAt: At | null;
  readonly isSigning: boolean;
}
