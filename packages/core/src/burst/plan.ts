import { nearestNames } from '../refusal/index.ts';
import { textsOf, type Cut } from './recipientSlice.ts';
import type { BurstDefinition, CopyFormat, MadeFormat } from './definition.ts';
import { parametersSet } from './definition.ts';
import type { Period, RunStart } from './period.ts';
import type { Recipient } from './recipients.ts';
import { fillTemplate, safeFileName } from './template.ts';

export interface PlannedFile {
  readonly name: string;
  readonly format: MadeFormat;
  /** Stands in the letter itself rather than beside it. */
  readonly isInline?: true;
}

/** What one recipient would get, or why not. */
export interface PlanEntry {
  readonly recipient: string;
  readonly address: string;
  /** What this copy holds. */
  readonly cut?: Cut;
  readonly rows: number;
  readonly files: readonly PlannedFile[];
  /** `refuse`: while this stands, the run does not start. */
  readonly action: 'send' | 'skip' | 'refuse';
  /** Why it is skipped or refused; of a copy that is sent, what is special about it. */
  readonly reason?: string;
}

/** A recipient with what they would get. */
export interface WantedCopy {
  readonly recipient: Recipient;
  /** Nothing, with the reason, for somebody whose copy cannot be told. */
  readonly cut?: Cut;
  readonly why?: string;
  readonly rows: number;
}

export interface PlanInput {
  readonly definition: BurstDefinition;
  readonly period: Period;
  readonly copies: readonly WantedCopy[];
  /** Recipients who already have this occurrence, with the run that sent it. */
  readonly alreadySent: ReadonlyMap<string, number>;
  /** Addresses, in small letters, whose owners want no more of this burst, since when. */
  readonly unwanted?: ReadonlyMap<string, Date>;
  /** The day tells who is active. */
  readonly start: RunStart;
  /** List column -> texts of the values that occur in the data at all, in whatever period. */
  readonly occurring?: ReadonlyMap<string, ReadonlySet<string>>;
  /** A sender whose own rights leave them not a single row of the dataset, whatever the copies ask for. */
  readonly blind?: { readonly sender: string; readonly dataset: string };
}

/** What templates can be filled with: where a parameter or the start has the name of a list column, the column counts. */
export function templateValues(
  { definition, period, start }: Pick<PlanInput, 'definition' | 'period' | 'start'>,
  recipient: Recipient,
): Record<string, string> {
  const bound = Object.entries(definition.bind ?? {}).map(([parameter, column]) => [
    parameter,
    textsOf(definition, recipient, column).join(', '),
  ]);
  return {
    run_day: start.day,
    run_time: start.time,
    ...(definition.period?.parameter === undefined ? {} : { [definition.period.parameter]: period.name }),
    ...Object.fromEntries(
      Object.entries(definition.parameters ?? {}).map(([name, texts]) => [name, [texts].flat().join(', ')]),
    ),
    ...Object.fromEntries(bound),
    ...recipient.values,
    burst: definition.name,
    report: definition.report,
    title: definition.title,
    period: period.name,
    period_words: period.words,
  };
}

/** The names that `templateValues` fills for a list with these columns. */
export function templateNamesFor(
  definition: Pick<BurstDefinition, 'bind' | 'period' | 'parameters'>,
  listColumns: readonly string[],
): string[] {
  const own = ['burst', 'report', 'title', 'period', 'period_words', 'run_day', 'run_time'];
  return [...new Set([...listColumns, ...parametersSet(definition), ...own])];
}

/** What a recipient gets: the formats of the burst that they want, and what a letter shows of the page. */
export function formatsOf(
  { formats, destination }: Pick<BurstDefinition, 'formats' | 'destination'>,
  { formats: wanted }: Pick<Recipient, 'formats'>,
): { readonly files: readonly CopyFormat[]; readonly inline: readonly MadeFormat[] } {
  const isShown = destination.kind === 'mail' && destination.page === true;
  return {
    files: formats.filter((one) => wanted === undefined || wanted.includes(one)),
    inline: isShown ? ['png', 'numbers'] : [],
  };
}

/** @param taken - final names of files, as they are compared, with whose they are */
function copyFiles(
  input: PlanInput,
  recipient: Recipient,
  taken: Map<string, string>,
): { files: PlannedFile[]; clash?: string } {
  const { definition } = input;
  const stem = safeFileName(fillTemplate(definition.fileName, templateValues(input, recipient)));
  const { files: formats, inline } = formatsOf(definition, recipient);
  const hasBoth = formats.includes('xlsx');
  const endings = { template: hasBoth ? '-filled.xlsx' : '.xlsx' } as Partial<Record<CopyFormat, string>>;
  const files: PlannedFile[] = formats.map((format) => ({ name: `${stem}${endings[format] ?? `.${format}`}`, format }));
  if (inline.length > 0)
    files.push(
      { name: `${stem}-page.png`, format: 'png', isInline: true },
      { name: `${stem}-page.json`, format: 'numbers', isInline: true },
    );
  const clash = files.map(({ name }) => taken.get(sameName(name))).find((other) => other !== undefined);
  for (const { name } of files) if (!taken.has(sameName(name))) taken.set(sameName(name), recipient.id);
  return { files, ...(clash !== undefined ? { clash } : {}) };
}

/** Names that some file system takes for the same have this in common. */
const sameName = (name: string) => name.normalize('NFKC').toLowerCase();

/** So many values that never occur are looked up for what was probably meant; of a list that is bound wrongly, all are. */
const mostLookups = 100;

/** How the values of a plan's copies compare with those that occur. Made once for a plan, whatever its length. */
class Occurrence {
  readonly #occurring: PlanInput['occurring'];
  /** How many copies have a value, by column. */
  readonly #uses = new Map<string, number>();
  /** Values that occur and that no copy has, by column: only these can have been meant by another word. */
  readonly #free = new Map<string, readonly string[]>();
  #lookups = 0;

  constructor({ occurring, copies }: Pick<PlanInput, 'occurring' | 'copies'>) {
    this.#occurring = occurring;
    if (occurring === undefined) return;
    for (const { cut } of copies)
      for (const text of new Set(Object.values(cut?.fields ?? {}).flat()))
        this.#uses.set(text, (this.#uses.get(text) ?? 0) + 1);
    for (const [column, known] of occurring)
      this.#free.set(
        column,
        [...known].filter((text) => !this.#uses.has(text)),
      );
  }

  #nearest(text: string, column: string): string | undefined {
    if (this.#lookups >= mostLookups) return undefined;
    this.#lookups++;
    return nearestNames(text, this.#free.get(column) ?? [])[0];
  }

  /** The values of a copy that never occur, each with the nearest that nobody has. */
  never(cut: Cut): { isAll: boolean; words: string[] } {
    const found = Object.entries(cut.fields).flatMap(([column, texts]) => {
      const known = this.#occurring?.get(column);
      return known ? texts.map((text) => ({ column, text, known })) : [];
    });
    const never = found.filter(({ text, known }) => !known.has(text));
    const words = never.map(({ column, text }) => {
      const nearest = this.#nearest(text, column);
      return `“${text}”${nearest === undefined ? '' : ` (did you mean “${nearest}”?)`}`;
    });
    return { isAll: never.length > 0 && never.length === found.length, words };
  }
}

/** What is done for a recipient without rows. */
function emptyCopy(
  input: PlanInput,
  occurrence: Occurrence,
  cut: Cut,
  run: number | undefined,
): Pick<PlanEntry, 'action' | 'reason'> {
  const { definition, period, blind } = input;
  const what = Object.values(cut.fields)
    .map((texts) => texts.join(', '))
    .join('; ');
  const { isAll, words } = occurrence.never(cut);
  const [first] = words;
  const never = !isAll ? '' : `, or at any time${/ \(did you mean .*/.exec(first ?? '')?.[0] ?? ''}`;
  const reason = blind
    ? `the sender ${blind.sender} has no access to rows of dataset “${blind.dataset}”`
    : `no rows${what === '' ? '' : ` for ${what}`} in ${period.words}${never}`;
  const { empty = 'skip' } = definition;
  if (empty !== 'note') return { action: empty, reason };
  return run === undefined
    ? { action: 'send', reason: `${reason}: message without files` }
    : { action: 'skip', reason: `already sent in run ${run}` };
}

function inactiveWords({ activeFrom, activeTo }: Recipient, today: string): string | undefined {
  if (activeFrom !== undefined && today < activeFrom) return `active only from ${activeFrom}`;
  return activeTo !== undefined && today > activeTo ? `active only until ${activeTo}` : undefined;
}

/**
 * Works out who gets what, before anything is sent.
 *
 * One entry per copy, in the order of the list. Recipients without rows, with a value that cannot be read, or who
 * already have this occurrence are skipped with a reason. Of a copy whose other values have rows, a value that never
 * occurs is named.
 */
export const planBurst = (input: PlanInput): PlanEntry[] => [...planEntries(input)];

/** The entries of a plan, one after the other: lists are long. */
export function* planEntries(input: PlanInput): Generator<PlanEntry> {
  const taken = new Map<string, string>();
  const occurrence = new Occurrence(input);
  const entryOf = ({ recipient, cut, why, rows }: WantedCopy): PlanEntry => {
    const base = { recipient: recipient.id, address: recipient.address };
    const skip = (reason: string): PlanEntry => ({ ...base, rows: 0, files: [], action: 'skip', reason });
    const inactive = inactiveWords(recipient, input.start.day);
    if (inactive !== undefined) return skip(inactive);
    const unwanted = input.unwanted?.get(recipient.address.toLowerCase());
    if (unwanted !== undefined) return skip(`unsubscribed since ${unwanted.toISOString().slice(0, 10)}`);
    if (cut === undefined) return skip(why ?? 'no copy');
    const run = input.alreadySent.get(recipient.id);
    if (rows === 0) return { ...base, cut, rows, files: [], ...emptyCopy(input, occurrence, cut, run) };
    const { files, clash } = copyFiles(input, recipient, taken);
    const planned = { ...base, cut, rows, files };
    const refuse = (reason: string): PlanEntry => ({ ...planned, action: 'skip', reason });
    if (run !== undefined) return refuse(`already sent in run ${run}`);
    if (files.length === 0) return refuse(`formats ${recipient.formats!.join(', ')} are not in this burst`);
    if (clash !== undefined) return refuse(`same file name as ${clash}`);
    const { words } = occurrence.never(cut);
    return {
      ...planned,
      action: 'send',
      ...(words.length > 0 ? { reason: `no rows at any time for ${words.join(', ')}` } : {}),
    };
  };
  for (const copy of input.copies) yield entryOf(copy);
}
