import type { DestinationKind } from '../burst/destination.ts';

/** `failing`: it stopped by itself and is looked at again; `paused`: somebody stopped it. */
export type DestinationState = 'ready' | 'failing' | 'paused';

/** A destination without its credentials. `At`: an instant, a `Date` before it is sent. */
export interface ShownDestination<At = string> {
  readonly name: string;
  readonly kind: DestinationKind;
  /** Empty for the installation's own mail host. */
  readonly address: string;
  /** What it takes, in words. */
  readonly limits: readonly string[];
  readonly parallel: number;
  readonly state: DestinationState;
  readonly reason: string | null;
  readonly stateAt: At | null;
  readonly testedAt: At | null;
  readonly testError: string | null;
}
