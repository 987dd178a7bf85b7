import type { MadeFormat } from './definition.ts';
import type { PlanEntry } from './plan.ts';

/** A copy of an earlier run. */
export interface FormerCopy {
  readonly recipient: string;
  readonly rows: number;
  readonly files: readonly { readonly format: MadeFormat; readonly sizeBytes?: number }[];
}

/** What is striking about a plan beside the last run. */
export interface Comparison {
  /** By recipient. */
  readonly entries: ReadonlyMap<
    string,
    {
      readonly rowsBefore?: number;
      readonly mark?: 'new' | 'much bigger' | 'much smaller';
      readonly bytes: number;
      /** Of each of its files, in their order; 0 where nothing tells. */
      readonly sizes: readonly number[];
    }
  >;
  /** Recipients of the last run who are not in the plan at all. */
  readonly gone: readonly string[];
  /** How large the files will be together, about. */
  readonly bytes: number;
}

/** Fewer rows than this differ by chance. */
const fewRows = 20;
const muchTimes = 2;

const median = (numbers: readonly number[]): number | undefined => {
  const sorted = [...numbers].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)];
};

/** About how many bytes a row and a file weigh in each format, from what was made before. */
function weights(former: readonly FormerCopy[]): (format: MadeFormat, rows: number) => number {
  const found = new Map<MadeFormat, { perRow: number[]; whole: number[] }>();
  for (const { rows, files } of former) {
    for (const { format, sizeBytes } of files) {
      if (sizeBytes === undefined || rows === 0) continue;
      const known = found.get(format) ?? { perRow: [], whole: [] };
      found.set(format, known);
      known.perRow.push(sizeBytes / rows);
      known.whole.push(sizeBytes);
    }
  }
  return (format, rows) => {
    const known = found.get(format);
    const isPage = format === 'pdf' || format === 'png' || format === 'numbers';
    return Math.round(isPage ? (median(known?.whole ?? []) ?? 0) : rows * (median(known?.perRow ?? []) ?? 0));
  };
}

/**
 * Sets a plan beside the last run: who is new, who is gone, whose copy is less than half or more than twice as long, and
 * how large the files will be. Likely mistakes show there before anything is sent.
 *
 * @param former - the copies that the last run sent
 */
export function comparePlan(entries: readonly PlanEntry[], former: readonly FormerCopy[]): Comparison {
  const before = new Map(former.map((one) => [one.recipient, one]));
  const weigh = weights(former);
  const compared = entries.map((entry) => {
    const rowsBefore = before.get(entry.recipient)?.rows;
    const sizes = entry.files.map((file) => weigh(file.format, entry.rows));
    const bytes = sizes.reduce((sum, one) => sum + one, 0);
    const mark = former.length === 0 || entry.action !== 'send' ? undefined : flagOf(entry.rows, rowsBefore);
    return [
      entry.recipient,
      { bytes, sizes, ...(rowsBefore === undefined ? {} : { rowsBefore }), ...(mark ? { mark } : {}) },
    ] as const;
  });
  const planned = new Set(entries.map((one) => one.recipient));
  return {
    entries: new Map(compared),
    gone: former.map((one) => one.recipient).filter((one) => !planned.has(one)),
    bytes: entries.reduce((sum, entry, i) => sum + (entry.action === 'send' ? compared[i]![1].bytes : 0), 0),
  };
}

function flagOf(rows: number, before: number | undefined): 'new' | 'much bigger' | 'much smaller' | undefined {
  if (before === undefined) return 'new';
  if (Math.abs(rows - before) < fewRows) return undefined;
  if (rows > before * muchTimes) return 'much bigger';
  return rows * muchTimes < before ? 'much smaller' : undefined;
}
