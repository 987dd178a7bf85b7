import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import { thingName } from '../dataset/index.ts';

export type CopyFormat = 'csv' | 'pdf';

/** Where the copies of a burst go, and how they are announced there. */
export interface MailDestination {
  readonly kind: 'mail';
  readonly subject: string;
  readonly message: string;
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
  /** The dataset whose rows a CSV copy holds, and which columns; the report's only one and all of them when left out. */
  readonly rows?: { readonly dataset?: string; readonly columns?: readonly string[] };
  /** Without extension: `{burst}-{quay}-{period}`. */
  readonly fileName: string;
  readonly destination: MailDestination;
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
  formats: Joi.array().items(Joi.string().valid('csv', 'pdf')).min(1).unique().required(),
  rows: Joi.object({ dataset: reference, columns: Joi.array().items(reference).min(1).max(200).unique() }),
  fileName: Joi.string().min(1).max(200).required(),
  destination: Joi.object({
    kind: Joi.string().valid('mail').required(),
    subject: Joi.string().min(1).max(200).required(),
    message: Joi.string().min(1).max(10_000).required(),
  }).required(),
}).required();

/** @throws {Refusal} `BURST_INVALID` with one problem per mistake */
export function readBurst(value: unknown): BurstDefinition {
  return checkShape<BurstDefinition>(value, burstSchema, { code: 'BURST_INVALID', what: 'the burst definition' });
}
