/** A change as the log has it. `At`: an instant, a `Date` before it is sent. */
export interface AuditRecord<At = string> {
  readonly id: number;
  readonly at: At;
  readonly who: string;
  readonly what: string;
  /** `report quay-punctuality`. */
  readonly thing: string;
  /** Where it came from: an address. */
  readonly origin: string;
  readonly before: unknown;
  readonly after: unknown;
}
