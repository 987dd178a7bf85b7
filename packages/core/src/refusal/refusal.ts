import type { RefusalCode } from './codes.ts';

/** One place where the input is wrong. */
export interface Problem {
  /** JSON Pointer (RFC 6901), `row 7, column email`, or a position in a filter text. */
  readonly at: string;
  readonly message: string;
  readonly hint?: string;
  /** The valid names nearest to the word, best first. */
  readonly nearest?: readonly string[];
}

/** Where and why, as data: wording comes at the edge. */
export interface RefusalDetails {
  /** JSON Pointer into the input, or the name of the option. */
  readonly pointer?: string;
  /** Position in a filter text; line and column count from 1, offset from 0 in UTF-16 units. */
  readonly position?: { readonly line: number; readonly column: number; readonly offset: number };
  /** The offending word, as it was given. */
  readonly word?: string;
  readonly expected?: string;
  readonly hint?: string;
  /** The valid names nearest to the word, best first. */
  readonly nearest?: readonly string[];
  /** Every problem, when one answer names several. */
  readonly problems?: readonly Problem[];
}

/** A refusal that a person can act on. Codes are for ever; words may change. */
export class Refusal extends Error {
  override readonly name = 'Refusal';
  constructor(
    readonly code: RefusalCode,
    message: string,
    readonly details: RefusalDetails = {},
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}

/** Whether an unknown thrown value is a refusal, optionally of one code. */
/** Ends the message of the first problem of several. */
export const andMore = (others: number): string =>
  others === 0 ? '' : ` ${others} more ${others === 1 ? 'problem' : 'problems'}.`;

export function isRefusal(error: unknown, code?: RefusalCode): error is Refusal {
  return error instanceof Refusal && (code === undefined || error.code === code);
}
