/** Where a template's rows go: a table, or a sheet whose first filled row holds the headings. */
export type TemplateTarget = { readonly table: string } | { readonly sheet: string };

/** A column that a template has ready for the data. */
export interface TemplateColumn {
  readonly heading: string;
  /** Counted from 1, as the sheet has it. */
  readonly column: number;
  /** Whether each row computes it. */
  readonly isComputed: boolean;
  /** Whether the author had values there. */
  readonly isHeld: boolean;
}

/** A prepared workbook, with what was found in it. `At`: an instant, a `Date` before it is sent. */
export interface ShownTemplate<At = string> {
  readonly name: string;
  readonly version: number;
  readonly target: TemplateTarget;
  readonly fileName: string;
  readonly sizeBytes: number;
  readonly loadedAt: At;
  readonly loadedBy: string;
  readonly summary: { readonly columns: readonly TemplateColumn[]; readonly warnings: readonly string[] };
}
