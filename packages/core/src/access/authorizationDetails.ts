import Joi from 'joi';
import { checkShape } from '../check/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';

/** One rich authorization request (RFC 9396) of this product's only type. */
export interface ReportViewDetails {
  readonly type: 'report_view';
  readonly report: string;
  readonly pages?: readonly string[];
  /** Raw values of report parameters, fixed by the token. */
  readonly parameters?: Readonly<Record<string, string>>;
  /** CQL2 text by dataset. */
  readonly where?: Readonly<Record<string, string>>;
  readonly actions: readonly ('view' | 'export')[];
  /** The person for whom the host asks; that person's record rules apply as well. */
  readonly person?: string;
}

export const reportViewSchema = Joi.object({
  type: Joi.string().valid('report_view').required(),
  report: Joi.string().max(60).required(),
  pages: Joi.array().items(Joi.string().max(60)).min(1).max(40),
  parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
  where: Joi.object().pattern(Joi.string().max(60), Joi.string().max(16_384)),
  actions: Joi.array().items(Joi.string().valid('view', 'export')).min(1).unique().default(['view']),
  person: Joi.string().email({ tlds: false }).max(254),
});

/** What a client may ever ask for. */
export interface ClientBounds {
  readonly reports: readonly string[];
  readonly actions: readonly ('view' | 'export')[];
  readonly maxLifetimeSeconds: number;
  readonly mayNamePersons: boolean;
}

/**
 * Reads `authorization_details` and refuses what lies outside the client's bounds.
 *
 * @param value - the parsed JSON; exactly one entry
 * @throws {Refusal} `INPUT_INVALID`, `TOKEN_OUT_OF_BOUNDS`
 * @see RFC 9396 section 2
 */
export function readAuthorizationDetails(value: unknown, bounds: ClientBounds): ReportViewDetails {
  const schema = Joi.array().items(reportViewSchema).length(1).required();
  const [details] = checkShape<ReportViewDetails[]>(value, schema, {
    code: 'INPUT_INVALID',
    what: 'authorization_details',
  });
  const outside = (message: string, word: string, allowed: readonly string[]) =>
    new Refusal('TOKEN_OUT_OF_BOUNDS', message, { pointer: '/0', word, ...suggest(word, allowed) });
  if (!bounds.reports.includes(details!.report)) {
    throw outside(`this client may not ask for the report \`${details!.report}\``, details!.report, bounds.reports);
  }
  const extra = details!.actions.find((action) => !bounds.actions.includes(action));
  if (extra !== undefined) throw outside(`this client may not ask for \`${extra}\``, extra, bounds.actions);
  if (details!.person !== undefined && !bounds.mayNamePersons) {
    throw outside('this client may not ask on behalf of persons', details!.person, []);
  }
  return details!;
}
