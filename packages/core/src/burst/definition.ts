import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import { thingName } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import { destinationSchema, type BurstDestination } from './destination.ts';
import { checkRecurrence, type Recurrence } from '../schedule/index.ts';

/** `template` is a prepared workbook, filled. */
export const copyFormats = ['csv', 'jsonl', 'xlsx', 'template', 'pdf', 'png'] as const;
export type CopyFormat = (typeof copyFormats)[number];
/** Formats that hold rows rather than a page. */
export const rowFormats: readonly CopyFormat[] = ['csv', 'jsonl', 'xlsx', 'template'];
/** Formats that show the page's figures. */
export const figureFormats: readonly CopyFormat[] = ['xlsx', 'pdf', 'png'];

/** How CSV copies are written; commas and UTF-8 without a mark when left out. */
export interface CsvStyle {
  readonly separator?: 'comma' | 'semicolon' | 'tab';
  /** Begins with the byte order mark, by which older spreadsheets know UTF-8. */
  readonly mark?: boolean;
}

/** What is done where a recipient has no rows: nothing, a letter without files, or the run is refused. */
export type WhenEmpty = 'skip' | 'note' | 'refuse';

/** How long the files of a run are kept after it, to be fetched again by its sender and by links. */
export interface Keeping {
  readonly days: number;
  /** Whether a link opens only for its recipient, signed in; it does unless this says no. */
  readonly signIn?: boolean;
}

/** When a burst runs by itself, for the period before that day or the one that it lies in. */
export interface BurstSchedule extends Recurrence {
  readonly period?: 'last' | 'this';
  /** A time that passed while the service was down: run late, once, or wait for the next. */
  readonly missed?: 'late' | 'skip';
  /** Days on which it does not run, such as holidays, as `YYYY-MM-DD`. */
  readonly except?: readonly string[];
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
  readonly bind: Readonly<Record<string, string>>;
  /** The parameter that a run's period sets. */
  readonly period?: { readonly unit: 'month' | 'day'; readonly parameter: string };
  readonly formats: readonly CopyFormat[];
  readonly csv?: CsvStyle;
  /** The prepared workbook that the format `template` fills. */
  readonly template?: string;
  readonly empty?: WhenEmpty;
  readonly keep?: Keeping;
  readonly schedule?: BurstSchedule;
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
  bind: Joi.object().pattern(reference, reference).min(1).max(1).required(),
  period: Joi.object({ unit: Joi.string().valid('month', 'day').required(), parameter: reference.required() }),
  formats: Joi.array()
    .items(Joi.string().valid(...copyFormats))
    .min(1)
    .unique()
    .required(),
  csv: Joi.object({ separator: Joi.string().valid('comma', 'semicolon', 'tab'), mark: Joi.boolean() }),
  template: reference,
  empty: Joi.string().valid('skip', 'note', 'refuse'),
  keep: Joi.object({ days: Joi.number().integer().min(1).max(400).required(), signIn: Joi.boolean() }),
  schedule: Joi.object({
    rule: Joi.string().max(400).required(),
    start: Joi.string().max(25).required(),
    timeZone: Joi.string().max(60).required(),
    period: Joi.string().valid('last', 'this'),
    missed: Joi.string().valid('late', 'skip'),
    except: Joi.array().items(Joi.string().isoDate().length(10)).max(400).unique(),
  }),
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
  if (read.schedule) checkRecurrence(read.schedule);
  const wants = read.formats.includes('template');
  if (wants !== (read.template !== undefined))
    throw new Refusal(
      'BURST_INVALID',
      wants
        ? 'the format `template` needs a prepared workbook'
        : 'a template is named, but the format `template` is not',
      { pointer: wants ? '/template' : '/formats', hint: 'underbell template list' },
    );
  if (read.empty === 'note' && read.destination.kind !== 'mail')
    throw new Refusal('BURST_INVALID', `a note to those without rows needs mail, not a ${read.destination.kind}`, {
      pointer: '/empty',
      hint: 'skip them, or refuse the run',
    });
  return read;
}
