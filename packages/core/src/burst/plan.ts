import { isRefusal, nearestNames } from '../refusal/index.ts';
import { parseValue, type ColumnType, type Value } from '../dataset/index.ts';
import type { BurstDefinition, CopyFormat } from './definition.ts';
import type { Period } from './period.ts';
import type { Recipient } from './recipients.ts';
import { fillTemplate, safeFileName } from './template.ts';

export interface PlannedFile {
  readonly name: string;
  readonly format: CopyFormat;
}

/** What one recipient would get, or why not. */
export interface PlanEntry {
  readonly recipient: string;
  readonly address: string;
  /** The value that cuts this copy out. */
  readonly value?: Value;
  readonly rows: number;
  readonly files: readonly PlannedFile[];
  /** `refuse`: while this stands, the run does not start. */
  readonly action: 'send' | 'skip' | 'refuse';
  /** Why it is skipped or refused; of a copy that is sent, what is special about it. */
  readonly reason?: string;
}

export interface PlanInput {
  readonly definition: BurstDefinition;
  readonly period: Period;
  readonly recipients: readonly Recipient[];
  /** The type of the column that the bound parameter filters. */
  readonly keyType: ColumnType;
  /** Rows by value of that column, under every other limit. */
  readonly rowCounts: ReadonlyMap<Value, number>;
  /** Recipients who already have this occurrence, with the run that sent it. */
  readonly alreadySent: ReadonlyMap<string, number>;
  /** Today, by which recipients are active or not, `YYYY-MM-DD`. */
  readonly today: string;
  /** Values that occur in the data at all, in whatever period; asked only where somebody has no rows. */
  readonly occurring?: ReadonlySet<Value>;
}

/** What templates can be filled with. */
export function templateValues(
  definition: BurstDefinition,
  period: Period,
  recipient: Recipient,
): Record<string, string> {
  return {
    ...recipient.values,
    burst: definition.name,
    report: definition.report,
    title: definition.title,
    period: period.name,
    period_words: period.words,
  };
}

/** The names that `templateValues` fills for a list with these columns. */
export function templateNamesFor(listColumns: readonly string[]): string[] {
  return [...new Set([...listColumns, 'burst', 'report', 'title', 'period', 'period_words'])];
}

function copyFiles(
  input: PlanInput,
  recipient: Recipient,
  taken: Map<string, string>,
): { files: PlannedFile[]; clash?: string } {
  const { definition, period } = input;
  const stem = safeFileName(fillTemplate(definition.fileName, templateValues(definition, period, recipient)));
  const other = taken.get(stem.toLowerCase());
  taken.set(stem.toLowerCase(), other ?? recipient.id);
  const hasBoth = definition.formats.includes('xlsx');
  const endings = { template: hasBoth ? '-filled.xlsx' : '.xlsx' } as Partial<Record<CopyFormat, string>>;
  const files = definition.formats.map((format) => ({ name: `${stem}${endings[format] ?? `.${format}`}`, format }));
  return { files, ...(other !== undefined ? { clash: other } : {}) };
}

/** What is done for a recipient without rows. */
function emptyCopy(
  { definition, period, occurring }: PlanInput,
  raw: string,
  value: Value,
  run: number | undefined,
  others: ReadonlySet<string>,
): Pick<PlanEntry, 'action' | 'reason'> {
  const isUnknown = occurring !== undefined && !occurring.has(value);
  // Another recipient's value is no slip of the pen for this one's.
  const [nearest] = isUnknown
    ? nearestNames(
        raw,
        [...occurring].map(String).filter((one) => !others.has(one)),
      )
    : [];
  const never = isUnknown ? `, or at any time${nearest === undefined ? '' : `; did you mean \`${nearest}\`?`}` : '';
  const reason = `no rows for ${raw} in ${period.words}${never}`;
  const { empty = 'skip' } = definition;
  if (empty !== 'note') return { action: empty, reason };
  return run === undefined
    ? { action: 'send', reason: `${reason}: a note without files` }
    : { action: 'skip', reason: `already sent in run ${run}` };
}

function inactiveWords({ activeFrom, activeTo }: Recipient, today: string): string | undefined {
  if (activeFrom !== undefined && today < activeFrom) return `active only from ${activeFrom}`;
  return activeTo !== undefined && today > activeTo ? `active only until ${activeTo}` : undefined;
}

/**
 * Works out who gets what, before anything is sent.
 *
 * One entry per recipient, in the order of the list. Recipients without rows, with a value that cannot be read, or who
 * already have this occurrence are skipped with a reason.
 */
export function planBurst(input: PlanInput): PlanEntry[] {
  const [listColumn] = Object.values(input.definition.bind);
  const taken = new Map<string, string>();
  const others = new Set(input.recipients.map((one) => one.values[listColumn!] ?? ''));
  return input.recipients.map((recipient): PlanEntry => {
    const base = { recipient: recipient.id, address: recipient.address };
    const raw = recipient.values[listColumn!] ?? '';
    const inactive = inactiveWords(recipient, input.today);
    if (inactive !== undefined) return { ...base, rows: 0, files: [], action: 'skip', reason: inactive };
    if (raw === '') return { ...base, rows: 0, files: [], action: 'skip', reason: `no value in column ${listColumn}` };
    let value: Value;
    try {
      value = parseValue(raw, input.keyType, listColumn);
    } catch (error) {
      if (!isRefusal(error)) throw error;
      return { ...base, rows: 0, files: [], action: 'skip', reason: error.message };
    }
    const rows = input.rowCounts.get(value) ?? 0;
    const run = input.alreadySent.get(recipient.id);
    if (rows === 0) return { ...base, value, rows, files: [], ...emptyCopy(input, raw, value, run, others) };
    const { files, clash } = copyFiles(input, recipient, taken);
    if (run !== undefined) return { ...base, value, rows, files, action: 'skip', reason: `already sent in run ${run}` };
    if (clash !== undefined)
      return { ...base, value, rows, files, action: 'skip', reason: `the file name is the same as that of ${clash}` };
    return { ...base, value, rows, files, action: 'send' };
  });
}
