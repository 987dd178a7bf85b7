import type { PersonViewer, Viewing } from '@underbell/core/access';
import type { Bound, CopyFormat, CsvStyle, CutStrategy } from '@underbell/core/burst';
import type { Revision } from '../dataset/index.ts';

/** What a parameter of the report is in the copies, and by what. */
export interface ParameterSetting {
  readonly parameter: string;
  readonly label: string;
  /** The list column it comes from, or its value in words; nothing where it filters nothing. */
  readonly value?: string;
  readonly from: 'list' | 'period' | 'burst' | 'default' | 'nothing';
}

/** What copies are made of, settled for one making: whoever wants copies prepares one. */
export interface CopyJob {
  /** In limits: whose conditions they are. */
  readonly name: string;
  /** As its sender may see it: the outer limit of everything that leaves. */
  readonly viewing: Viewing;
  /** What every parameter of the report is set to, and by what. */
  readonly settings: readonly ParameterSetting[];
  /** The parameters that cut the copies apart, with the list columns that fill them. */
  readonly bound: readonly Bound[];
  /** Dataset -> CQL2 text that limits its rows in each copy; `recipient('column')` stands for what that is cut by. */
  readonly where: Readonly<Record<string, string>>;
  /** How its copies are read, and why so. */
  readonly strategy: CutStrategy;
  readonly revisions: ReadonlyMap<string, Revision>;
  /** The dataset whose rows a copy holds and whose rows are counted. */
  readonly rowRevision: Revision;
  /** The columns of row copies; all that may be seen when left out. */
  readonly columns?: readonly string[];
  readonly formats: readonly CopyFormat[];
  readonly csv?: CsvStyle;
  /** The prepared workbook that some of them fill. */
  readonly template?: string;
  /** What days in words count from, `YYYY-MM-DD`. */
  readonly today: string;
  /** Its viewing is that of one copy, with what that is cut by. */
  readonly isCutAlready?: boolean;
  /** People by address, where copies are made as they may see them. */
  readonly people: ReadonlyMap<string, PersonViewer>;
  /** Everything that any copy is cut by, so that no prepared workbook names another's. */
  readonly cutValues: () => Promise<readonly string[]>;
}
