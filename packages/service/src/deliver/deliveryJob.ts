import type { BurstDestination, Recipient } from '@underbell/core/burst';
import type { DeliveryRow, MadeFile } from './models.ts';

/** Copies on their way: all that sending needs of whoever makes them. */
export interface Sending {
  /** Whose ledger they stand in. */
  readonly run: number;
  readonly title: string;
  /** What they are copies of. */
  readonly report: { readonly name: string; readonly title: string };
  readonly destination: BurstDestination;
  /** Every copy goes by mail to whoever tries it out. */
  readonly isTest: boolean;
  readonly recipientOf: (delivery: DeliveryRow) => Recipient;
  /** What the templates of a copy are filled with. */
  readonly valuesFor: (recipient: Recipient) => Record<string, string>;
  readonly pathOf: (file: MadeFile) => string;
  /** Media type. */
  readonly typeOf: (file: MadeFile) => string;
  /** Whether a letter carries links to files of so many bytes, and not the files. */
  readonly isLinked: (bytes: number) => boolean;
  readonly keeping: { readonly until: Date; readonly signIn: boolean };
  /** The address under which the recipient of a copy says that they want no more. */
  readonly unsubscribeAddress: (delivery: DeliveryRow) => string;
  /** Sees whether the run goes on, and says what is being done; throws when it does not. */
  readonly proceed: (phase?: string) => Promise<void>;
}
