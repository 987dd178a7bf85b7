import { parseFilter, readFilter, writeFilter } from '../filter/index.ts';
import { Refusal } from '../refusal/index.ts';
import type { ReportViewDetails } from './authorizationDetails.ts';

function widens(what: string, pointer: string, word?: string): Refusal {
  return new Refusal('TOKEN_WIDENS', `A token exchange can only narrow: ${what}.`, {
    pointer: `/0/${pointer}`,
    ...(word === undefined ? {} : { word }),
  });
}

/** Of a list that the token holds, those asked for; none asked for leaves it as it is. */
function narrowList<T extends string>(
  held: readonly T[] | undefined,
  asked: readonly T[] | undefined,
  what: string,
): readonly T[] | undefined {
  if (asked === undefined || held === undefined) return asked ?? held;
  const extra = asked.find((one) => !held.includes(one));
  if (extra !== undefined) throw widens(`the token does not include the ${what} “${extra}”`, `${what}s`, extra);
  return asked;
}

/** Values that the token fixes stay; others may be added. */
function narrowValues(
  held: Readonly<Record<string, string>> | undefined,
  asked: Readonly<Record<string, string>> | undefined,
  what: string,
): Readonly<Record<string, string>> | undefined {
  for (const [name, value] of Object.entries(asked ?? {})) {
    const fixed = held !== undefined && Object.hasOwn(held, name) ? held[name] : undefined;
    if (fixed !== undefined && fixed !== value) throw widens(`the token fixes “${name}”`, what, name);
  }
  return held || asked ? { ...held, ...asked } : undefined;
}

/** Both filters must hold; the new one never takes the place of the old. */
function narrowWhere(
  held: Readonly<Record<string, string>> = {},
  asked: Readonly<Record<string, string>> = {},
): Record<string, string> {
  const where: Record<string, string> = { ...held };
  for (const [dataset, text] of Object.entries(asked)) {
    const old = Object.hasOwn(held, dataset) ? held[dataset] : undefined;
    // Written anew from its tree, no text can reach out of its parentheses.
    const added = writeFilter(readFilter(text));
    where[dataset] = old === undefined ? added : `(${writeFilter(readFilter(old))}) AND (${added})`;
    parseFilter(where[dataset]);
  }
  return where;
}

function sameOrAdded(
  held: string | undefined,
  asked: string | undefined,
  what: string,
  mayAdd: boolean,
): string | undefined {
  if (asked === undefined || asked === held) return held;
  if (held !== undefined) throw widens(`the token is for another ${what}`, what, asked);
  if (!mayAdd) throw widens(`the token names no ${what}, so none can be added`, what, asked);
  return asked;
}

/**
 * What a token becomes in an exchange: filters joined by AND, pages and actions cut down, values only added.
 *
 * A person cannot be added: masks spare some people, so a name could open what a nameless token hides.
 *
 * @throws {Refusal} `TOKEN_WIDENS`, saying by what
 * @see RFC 8693
 */
export function narrowDetails(held: ReportViewDetails, asked: Partial<ReportViewDetails>): ReportViewDetails {
  if (asked.report !== undefined && asked.report !== held.report)
    throw widens('the token is for another report', 'report', asked.report);
  const placement = sameOrAdded(held.placement, asked.placement, 'placement', true);
  const person = sameOrAdded(
    held.person,
    asked.person?.toLowerCase() === held.person?.toLowerCase() ? held.person : asked.person,
    'person',
    false,
  );
  const pages = narrowList(held.pages, asked.pages, 'page');
  const parameters = narrowValues(held.parameters, asked.parameters, 'parameters');
  const context = narrowValues(held.context, asked.context, 'context');
  const where = narrowWhere(held.where, asked.where);
  return {
    type: 'report_view',
    report: held.report,
    actions: narrowList(held.actions, asked.actions, 'action')!,
    ...(placement === undefined ? {} : { placement }),
    ...(pages ? { pages } : {}),
    ...(parameters ? { parameters } : {}),
    ...(Object.keys(where).length > 0 ? { where } : {}),
    ...(person === undefined ? {} : { person }),
    ...(context ? { context } : {}),
  };
}
