/** A database that rows are read from; its address without a password. `At`: an instant, a `Date` before it is sent. */
export interface ShownSource<At = string> {
  readonly name: string;
  readonly url: string;
  readonly checkedAt: At | null;
  /** Why it did not answer last. */
  readonly checkError: string | null;
}

/** What a source says of itself. */
export interface SourceAnswer {
  readonly answers: true;
  readonly version: string;
  readonly database: string;
  readonly role: string;
  /** The role may do no more than read. */
  readonly isReadOnly: boolean;
  readonly isEncrypted: boolean;
  readonly tables: number;
  readonly milliseconds: number;
}
