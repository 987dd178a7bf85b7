import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import { toFilterText } from '../filter/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';

/** What a token lets its holder do. */
export type TokenAction = 'view' | 'export';
export const tokenActions: readonly TokenAction[] = ['view', 'export'];

/** One rich authorization request (RFC 9396) of this product's only type, settled. */
export interface ReportViewDetails {
  readonly type: 'report_view';
  readonly report: string;
  /** The only placement that the token opens. */
  readonly placement?: string;
  readonly pages?: readonly string[];
  /** Raw values of report parameters, fixed by the token. */
  readonly parameters?: Readonly<Record<string, string>>;
  /** CQL2 text by dataset. */
  readonly where?: Readonly<Record<string, string>>;
  readonly actions: readonly TokenAction[];
  /** The person for whom the host asks; that person's row rules apply as well. */
  readonly person?: string;
  /** Fields of the record that the host shows, which `record('…')` in a placement's filter stands for. */
  readonly context?: Readonly<Record<string, string>>;
}

/** As it is asked for: a report, or a placement whose report is meant. */
export type AskedDetails = Omit<ReportViewDetails, 'report'> & { readonly report?: string };

const name = Joi.string().max(60);
const filter = Joi.alternatives(Joi.string().max(16_384), Joi.object().unknown());
const words = {
  type: Joi.string().valid('report_view').required(),
  placement: name,
  pages: Joi.array().items(name).min(1).max(40),
  parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
  where: Joi.object().pattern(name, filter),
  person: Joi.string().email({ tlds: false }).max(254),
  // A new record has no number yet: that is said where its placement is known.
  context: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000).allow('')),
};
const actions = Joi.array()
  .items(Joi.string().valid(...tokenActions))
  .min(1)
  .unique();

export const reportViewSchema = Joi.object({ ...words, report: name, actions: actions.default(['view']) }).or(
  'report',
  'placement',
);
/** What an exchange may say; everything is left as it is when it is not said. */
export const narrowingSchema = Joi.object({ ...words, report: name, actions });

/** What a client may ever ask for. */
export interface ClientBounds {
  readonly reports: readonly string[];
  readonly actions: readonly TokenAction[];
  readonly maxLifetimeSeconds: number;
  readonly mayNamePersons: boolean;
  /** Origins whose pages may show what its tokens open; none means that no page is asked for. */
  readonly origins?: readonly string[];
  /** Keys that every token must fix to values, whatever the report. */
  readonly mustFilter?: readonly string[];
  /** By which the common directory knows it: what that says of people who signed in there counts. */
  readonly directoryId?: string;
  /** Whether its tokens are bound to a key of its own (RFC 9449). */
  readonly requiresProof?: boolean;
}

/** Filters in CQL2 JSON become text, which is how tokens carry them. */
function withTexts<T extends { where?: Readonly<Record<string, unknown>> }>(details: T): T {
  if (details.where === undefined) return details;
  const where = Object.fromEntries(Object.entries(details.where).map(([dataset, one]) => [dataset, toFilterText(one)]));
  return { ...details, where };
}

function readOne<T extends { where?: Readonly<Record<string, unknown>> }>(value: unknown, schema: Joi.ObjectSchema): T {
  const [details] = checkShape<T[]>(value, Joi.array().items(schema).length(1).required(), {
    code: 'INPUT_INVALID',
    what: 'authorization_details',
  });
  return withTexts(details!);
}

/**
 * Reads `authorization_details`.
 *
 * @param value - the parsed JSON; exactly one entry
 * @throws {Refusal} `INPUT_INVALID`
 * @see RFC 9396 section 2
 */
export function readAuthorizationDetails(value: unknown): AskedDetails {
  return readOne<AskedDetails>(value, reportViewSchema);
}

/** Reads the `authorization_details` of an exchange. */
export function readNarrowing(value: unknown): Partial<ReportViewDetails> {
  return readOne<Partial<ReportViewDetails>>(value, narrowingSchema);
}

/**
 * Refuses what lies outside a client's bounds.
 *
 * @throws {Refusal} `TOKEN_SCOPE_EXCEEDED`
 */
export function checkBounds(details: ReportViewDetails, bounds: ClientBounds): void {
  const outside = (message: string, word: string, allowed: readonly string[]) =>
    new Refusal('TOKEN_SCOPE_EXCEEDED', message, { pointer: '/0', word, ...suggest(word, allowed) });
  if (!bounds.reports.includes(details.report))
    throw outside(`This client cannot request report “${details.report}”.`, details.report, bounds.reports);
  const extra = details.actions.find((action) => !bounds.actions.includes(action));
  if (extra !== undefined) throw outside(`This client cannot request “${extra}”.`, extra, bounds.actions);
  if (details.person !== undefined && !bounds.mayNamePersons)
    throw outside('This client cannot act for users.', details.person, []);
}
