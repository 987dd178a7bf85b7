import type { LimitWords, RecordField } from '../access/index.ts';
import type { FigureResult } from '../report/index.ts';
import type { ViewResponse, ViewedFigure } from '../view/index.ts';

/** A dataset as its limits leave it; counts are left out where they are withheld. */
export interface ExplainedDataset {
  readonly dataset: string;
  readonly revision: number;
  readonly rowsTotal?: number;
  readonly rows?: number;
  readonly limits: readonly (LimitWords & { readonly rowsLeft?: number })[];
  readonly masks: readonly { readonly name: string; readonly words: string }[];
}

/** What one viewer gets of a page. `At`: an instant, a `Date` before it is sent. */
export interface SeenView<At = string> {
  readonly page?: string;
  readonly as: {
    readonly kind: string;
    readonly name: string;
    readonly email?: string;
    readonly groups?: readonly string[];
    readonly attributes?: Readonly<Record<string, readonly string[]>>;
    readonly placement?: string;
  };
  readonly right: { readonly level: string; readonly because: string };
  readonly datasets: readonly ExplainedDataset[];
  /** Why figures and counts are not told. */
  readonly withheld?: string;
  /** The whole answer that the viewer draws; left out where it is withheld or there is no right. */
  readonly view?: ViewResponse<At> | undefined;
  readonly figures: readonly ViewedFigure[];
  readonly results: Readonly<Record<string, FigureResult>>;
}

/** How two viewers differ on a dataset; counts are left out where they are withheld. */
export interface SeenDifference {
  readonly dataset: string;
  readonly onlyFirstLimits: readonly string[];
  readonly onlySecondLimits: readonly string[];
  readonly both?: number;
  readonly onlyFirst?: number;
  readonly onlySecond?: number;
}

/** What somebody sees of a report, and how a second viewer's differs. */
export interface SeenReport<At = string> extends SeenView<At> {
  readonly report: string;
  readonly and?: SeenView<At>;
  readonly difference?: readonly SeenDifference[];
}

/** What a placement shows beside a record, before it is saved or after. `At`: an instant, a `Date` before it is sent. */
export interface RecordTry<At = string> {
  /** What its filter needs of the record. */
  readonly fields: readonly RecordField[];
  readonly datasets: readonly ExplainedDataset[];
  readonly view?: ViewResponse<At>;
  /** Why it shows nothing: the record is not complete, or a value of it is not of its column's type. */
  readonly refused?: { readonly code: string; readonly message: string; readonly hint?: string };
  /** By field: values that are there, where that of the record is not. */
  readonly nearest: Readonly<Record<string, readonly string[]>>;
}

/** What one recipient's copy of a burst would hold. */
export interface SeenCopy extends SeenView {
  readonly burst: string;
}
