import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import {
  dateOrders,
  decimalSigns,
  fileEncodings,
  thingName,
  type DateOrder,
  type DecimalSign,
} from '../dataset/index.ts';
import { checkAll, Refusal } from '../refusal/index.ts';
import { destinationSchema, type BurstDestination } from './destination.ts';
import { recipientColumns } from './recipientColumns.ts';
import { periodUnits, type BurstPeriod } from './periodUnits.ts';
import { checkRecurrence, type Recurrence } from '../schedule/index.ts';

/** `template` is a prepared workbook, filled. */
export const copyFormats = ['csv', 'jsonl', 'xlsx', 'template', 'pdf', 'png'] as const;
export type CopyFormat = (typeof copyFormats)[number];
/** `numbers` is what a letter says of the page that it shows. */
export type MadeFormat = CopyFormat | 'numbers';
/** Formats that hold rows rather than a page. */
export const rowFormats: readonly CopyFormat[] = ['csv', 'jsonl', 'xlsx', 'template'];
/** Formats that show the page's figures. */
export const figureFormats: readonly MadeFormat[] = ['xlsx', 'pdf', 'png', 'numbers'];

/** Encodings that CSV may be written in, by their names in the IANA registry. */
export const textEncodings = fileEncodings;
export type TextEncoding = (typeof textEncodings)[number];

/** How CSV copies are written; commas, decimal dots, ISO 8601 dates and UTF-8 without a mark when left out. */
export interface CsvStyle {
  readonly separator?: 'comma' | 'semicolon' | 'tab';
  /** Begins with the byte order mark, by which older spreadsheets know UTF-8. */
  readonly mark?: boolean;
  /** Other encodings than UTF-8 refuse what they have no character for; UTF-16 always begins with its mark. */
  readonly encoding?: TextEncoding;
  readonly decimal?: DecimalSign;
  /** Order of dates and instants, as `31.10.2026` or `10/31/2026`. */
  readonly dates?: DateOrder;
  /** The columns' labels instead of their names. */
  readonly headings?: 'name' | 'label';
  /** Separator, decimal sign and dates that are not said are those of the recipient's language. */
  readonly byLanguage?: boolean;
}

/** What is done where a recipient has no rows: nothing, a letter without files, or the run is refused. */
export type WhenEmpty = 'skip' | 'note' | 'refuse';

/** How long the files of a run are kept after it, to be fetched again by its sender and by links. */
export interface Keeping {
  readonly days: number;
  /** Whether a link opens only for its recipient, signed in; it does unless this says no. */
  readonly signIn?: boolean;
}

/** When its sender is told how a run went: after every one, after those that nobody started by hand, or never. */
export type SummaryWish = 'always' | 'unattended' | 'never';

/** When a burst runs by itself, for the period before that day or the one that it lies in. */
export interface BurstSchedule extends Recurrence {
  readonly period?: 'last' | 'this';
  /** A time that passed while the service was down: run late, once, or wait for the next. */
  readonly missed?: 'late' | 'skip';
  /** Days on which it does not run, such as holidays, as `YYYY-MM-DD`. */
  readonly except?: readonly string[];
  /** It does not run by itself for now. */
  readonly paused?: boolean;
  /** Name of a list of holidays that the installation keeps. */
  readonly holidays?: string;
  /** What happens on one of them: no run, or one on the next day that is none. */
  readonly onHoliday?: 'skip' | 'next';
}

/** A burst as its publisher writes it, in the format `underbell-burst/1`. */
export interface BurstDefinition {
  readonly format: 'underbell-burst/1';
  readonly name: string;
  readonly title: string;
  readonly report: string;
  /** The first page when left out. */
  readonly page?: string;
  readonly list: string;
  /** Report parameter -> column of the recipient list. */
  readonly bind?: Readonly<Record<string, string>>;
  /** Dataset -> CQL2 text that limits its rows in each copy; `recipient('column')` stands for that recipient's cell. */
  readonly where?: Readonly<Record<string, string>>;
  /** List columns whose cells hold several values -> what stands between them. */
  readonly many?: Readonly<Record<string, string>>;
  /** One of those columns: each of its values is a copy of its own, rather than all of them one. */
  readonly each?: string;
  /** Recipients are people here, and their own row rules and masks apply beside the sender's. */
  readonly asSeenBy?: 'sender' | 'recipient';
  /** Addresses of people of whom one, other than whoever starts it, must release a run before anything is made. */
  readonly release?: readonly string[];
  /** What a run is about, so that nobody gets the same one twice, and the parameter that it sets. */
  readonly period?: BurstPeriod;
  /** Report parameter -> what it is set to in every copy; the report's own defaults hold for those that nothing sets. */
  readonly parameters?: Readonly<Record<string, string | readonly string[]>>;
  readonly formats: readonly CopyFormat[];
  readonly csv?: CsvStyle;
  /** The list column with the password that each recipient's PDF opens with. */
  readonly pdf?: { readonly passwordColumn: string };
  /** The prepared workbook that the format `template` fills. */
  readonly template?: string;
  readonly empty?: WhenEmpty;
  readonly keep?: Keeping;
  readonly schedule?: BurstSchedule;
  /** Runs after its data was loaded anew, once a day at most, for the period before that day or the one it lies in. */
  readonly afterRefresh?: 'last' | 'this';
  /** A letter to the sender after a run; `unattended` when left out. */
  readonly summary?: SummaryWish;
  /** The dataset whose rows a copy holds, and which columns; the report's only one and all of them when left out. */
  readonly rows?: { readonly dataset?: string; readonly columns?: readonly string[] };
  /** Without extension: `{burst}-{quay}-{period}`. */
  readonly fileName: string;
  readonly destination: BurstDestination;
}

const thing = Joi.string().pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter').max(60);
/** A name that is looked up afterwards, where the nearest valid one is known. */
const reference = Joi.string().max(63);

export const burstSchema = Joi.object({
  $schema: Joi.string(),
  format: Joi.string().valid('underbell-burst/1').required(),
  name: thing.required(),
  title: Joi.string().trim().min(1).max(200).required(),
  report: reference.required(),
  page: reference,
  list: reference.required(),
  bind: Joi.object().pattern(reference, reference).min(1).max(8),
  where: Joi.object().pattern(reference, Joi.string().max(16_384)).min(1).max(20),
  many: Joi.object().pattern(reference, Joi.string().trim(false).min(1).max(3)).min(1).max(8),
  each: reference,
  asSeenBy: Joi.string().valid('sender', 'recipient'),
  release: Joi.array()
    .items(Joi.string().email({ tlds: false }).lowercase())
    .min(1)
    .max(20)
    .unique(),
  period: Joi.object({
    unit: Joi.string()
      .valid(...periodUnits)
      .required(),
    // Each run is its own; there is no stretch of time that a parameter could take.
    parameter: Joi.when('unit', { is: 'run', then: Joi.forbidden(), otherwise: reference }),
  }),
  parameters: Joi.object()
    .pattern(
      reference,
      Joi.alternatives(Joi.string().max(500), Joi.array().items(Joi.string().max(500)).min(1).max(100)),
    )
    .min(1)
    .max(30),
  formats: Joi.array()
    .items(Joi.string().valid(...copyFormats))
    .unique()
    .required(),
  pdf: Joi.object({ passwordColumn: reference.required() }),
  csv: Joi.object({
    separator: Joi.string().valid('comma', 'semicolon', 'tab'),
    decimal: Joi.string().valid(...decimalSigns),
    dates: Joi.string().valid(...dateOrders),
    headings: Joi.string().valid('name', 'label'),
    byLanguage: Joi.boolean(),
    encoding: Joi.string().valid(...textEncodings),
    // The mark tells UTF-8 and UTF-16 alone; the latter has it anyway.
    mark: Joi.when('encoding', { is: Joi.valid('utf-8', 'utf-16'), then: Joi.boolean(), otherwise: Joi.valid(false) }),
  }),
  template: reference,
  empty: Joi.string().valid('skip', 'note', 'refuse'),
  keep: Joi.object({ days: Joi.number().integer().min(1).max(400).required(), signIn: Joi.boolean() }),
  schedule: Joi.object({
    rule: Joi.string().max(400).required(),
    start: Joi.string().max(25).required(),
    timeZone: Joi.string().max(60).required(),
    period: Joi.string().valid('last', 'this'),
    missed: Joi.string().valid('late', 'skip'),
    paused: Joi.boolean(),
    except: Joi.array().items(Joi.string().isoDate().length(10)).max(400).unique(),
    holidays: reference,
    onHoliday: Joi.string().valid('skip', 'next'),
  }),
  afterRefresh: Joi.string().valid('last', 'this'),
  summary: Joi.string().valid('always', 'unattended', 'never'),
  rows: Joi.object({ dataset: reference, columns: Joi.array().items(reference).min(1).max(200).unique() }),
  fileName: Joi.string().min(1).max(200).required(),
  destination: destinationSchema,
}).required();

/** Days that files are kept for links where a burst does not say. */
const usualDays = 30;

/** How files are kept: as the burst says, or for as long as links to them may be needed. */
export function keepingOf({ keep, destination }: BurstDefinition): Required<Keeping> {
  const isLinked = destination.kind === 'mail' && destination.send === 'links';
  const days = keep?.days ?? (isLinked ? usualDays : 0);
  return { days, signIn: keep?.signIn ?? true };
}

/** Whether files of this size go as links; only where files are kept can they. */
export function goesAsLinks(definition: BurstDefinition, bytes: number): boolean {
  const { destination } = definition;
  if (destination.kind !== 'mail') return false;
  const { send, largest = 20 } = destination;
  return send === 'links' || (keepingOf(definition).days > 0 && bytes > largest * 1_000_000);
}

/** @throws {Refusal} `BURST_INVALID` with one problem per mistake; `SCHEDULE_INVALID`, `SCHEDULE_NEVER` */
export function readBurst(value: unknown): BurstDefinition {
  const read = checkShape<BurstDefinition>(value, burstSchema, {
    code: 'BURST_INVALID',
    what: 'the burst definition',
  });
  checkAll(burstMistakes, [
    () => read.schedule && checkRecurrence(read.schedule),
    () => checkFiles(read),
    () => checkCutting(read),
    () => checkSetOnce(read),
  ]);
  return read;
}

/** How several mistakes of a burst are told at once. */
export const burstMistakes = { code: 'BURST_INVALID', what: 'the burst has several mistakes' } as const;

/** Formats, the prepared workbook and what goes to those without rows fit each other. */
function checkFiles({ formats, template, destination, empty }: BurstDefinition): void {
  const wants = formats.includes('template');
  if (wants !== (template !== undefined))
    throw new Refusal(
      'BURST_INVALID',
      wants
        ? 'The format “template” needs a workbook template.'
        : 'A workbook template is set, but the format “template” is not.',
      { pointer: wants ? '/template' : '/formats', hint: 'List workbook templates with: underbell template list' },
    );
  if (formats.length === 0 && !(destination.kind === 'mail' && destination.page === true))
    throw new Refusal('BURST_INVALID', 'A copy needs at least one format, or an email that shows the page.', {
      pointer: '/formats',
      hint: `Formats: ${copyFormats.join(', ')}`,
    });
  if (empty === 'note' && destination.kind !== 'mail')
    throw new Refusal('BURST_INVALID', `A message to recipients without rows needs email, not ${destination.kind}.`, {
      pointer: '/empty',
      hint: 'Skip these recipients, or reject the run.',
    });
}

/** The parameters of its report that a burst sets, by whatever. */
export function parametersSet({
  bind,
  period,
  parameters,
}: Pick<BurstDefinition, 'bind' | 'period' | 'parameters'>): string[] {
  const counted = period?.parameter === undefined ? [] : [period.parameter];
  return [...Object.keys(bind ?? {}), ...counted, ...Object.keys(parameters ?? {})];
}

/** A parameter is set by the list, by the period or for all; what two of them say would be one of them at random. */
function checkSetOnce({ bind, period, parameters }: BurstDefinition): void {
  const names = [
    ...Object.keys(bind ?? {}).map((name) => [name, `/bind/${name}`] as const),
    ...(period?.parameter === undefined ? [] : [[period.parameter, '/period/parameter'] as const]),
    ...Object.keys(parameters ?? {}).map((name) => [name, `/parameters/${name}`] as const),
  ];
  const twice = names.find(([name], i) => names.slice(0, i).some(([other]) => other === name));
  if (twice === undefined) return;
  throw new Refusal('BURST_INVALID', `Parameter “${twice[0]}” is set twice.`, {
    pointer: twice[1],
    word: twice[0],
    hint: 'Set it in “bind”, in “period” or in “parameters”.',
  });
}

/** Refuses a burst in which every copy would be the same, and a word about columns that does not fit the others. */
function checkCutting({ bind, where, asSeenBy, each, many = {}, pdf, formats }: BurstDefinition): void {
  const isCut = bind !== undefined || Object.values(where ?? {}).some((text) => recipientColumns(text).length > 0);
  if (!isCut && asSeenBy !== 'recipient')
    throw new Refusal('BURST_INVALID', 'All copies would be the same.', {
      pointer: '/bind',
      hint: 'Bind a parameter to a list column, add a filter with recipient(), or apply the row rules of the recipients.',
    });
  if (pdf && formats.some((one) => one !== 'pdf'))
    throw new Refusal('BURST_INVALID', 'Only PDF files can have a password.', {
      pointer: '/formats',
      hint: 'Send the PDF only, or remove the password.',
    });
  if (each !== undefined && !Object.hasOwn(many, each))
    throw new Refusal('BURST_INVALID', `Column “${each}” has one value only, so it cannot give a copy per value.`, {
      pointer: '/each',
      hint: `Set the separator of its values: "many": {"${each}": ";"}`,
    });
}
