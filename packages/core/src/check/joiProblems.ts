import type Joi from 'joi';
import { suggest, type Problem } from '../refusal/index.ts';
import { wordsOf } from './joiWords.ts';

/** A JSON Pointer (RFC 6901) of a path. */
export function toPointer(path: readonly (string | number)[]): string {
  return path.map((part) => `/${String(part).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
}

/** What schemas are, described once each: a report's takes tens of milliseconds. */
const descriptions = new WeakMap<Joi.Schema, Joi.Description>();

function describe(schema: Joi.Schema): Joi.Description {
  const known = descriptions.get(schema);
  if (known) return known;
  const described = schema.describe();
  descriptions.set(schema, described);
  return described;
}

/** More mistakes are counted, not worded. */
const mostWorded = 50;

/** The names that an object schema allows at a path, for "did you mean". */
function namesAt(schema: Joi.Schema, path: readonly (string | number)[], value: unknown): string[] {
  let described = describe(schema);
  let current: unknown = value;
  for (const part of path) {
    current = (current as Record<string | number, unknown> | undefined)?.[part];
    const next = childOf(described, part, current);
    if (next === undefined) return [];
    described = next;
  }
  return Object.keys((described as { keys?: object }).keys ?? {});
}

interface Described extends Joi.Description {
  keys?: Record<string, Described>;
  items?: Described[];
  patterns?: { rule: Described }[];
  matches?: { schema?: Described; switch?: { then: Described }[] }[];
}

function childOf(described: Described, part: string | number, value: unknown): Described | undefined {
  const direct =
    typeof part === 'number' ? described.items?.[0] : (described.keys?.[part] ?? described.patterns?.[0]?.rule);
  const options = direct?.matches?.flatMap((match) => [
    ...(match.schema ? [match.schema] : []),
    ...(match.switch ?? []).map((one) => one.then),
  ]);
  if (options === undefined || options.length === 0) return direct;
  // Alternatives are told apart by their constant `kind`.
  const kind = (value as { kind?: unknown } | undefined)?.kind;
  return (
    options.find((one) => (one.keys?.['kind'] as { allow?: unknown[] } | undefined)?.allow?.includes(kind)) ?? direct
  );
}

/**
 * The complaints of a Joi validation as problems with JSON Pointers and hints; beyond fifty, one that says how many more.
 *
 * @param value - the value that was validated, to name the alternatives at the right place
 */
export function joiProblems(error: Joi.ValidationError, schema: Joi.Schema, value: unknown): Problem[] {
  const more = error.details.length - mostWorded;
  const rest = more > 0 ? [{ at: '/', message: `There are ${more} more mistakes.`, hint: 'Correct these first.' }] : [];
  const worded = error.details.slice(0, mostWorded).map((detail): Problem => {
    const at = toPointer(detail.path) || '/';
    const word = String(detail.path.at(-1) ?? '');
    if (detail.type === 'object.unknown') {
      return {
        at,
        message: `Unknown field “${word}”.`,
        ...suggest(word, namesAt(schema, detail.path.slice(0, -1), value)),
      };
    }
    const valids = detail.context?.['valids'] as unknown[] | undefined;
    if (detail.type === 'any.only' && valids) {
      const given = String(detail.context?.['value']);
      return { at, message: `“${given}” is not an allowed value.`, ...suggest(given, valids.map(String)) };
    }
    if (detail.type === 'string.pattern.name' || detail.type === 'string.pattern.base') {
      const wanted = (detail.context as { name?: string } | undefined)?.name;
      return {
        at,
        message: `“${String(detail.context?.['value']).slice(0, 60)}” is not allowed.`,
        ...(wanted ? { hint: wanted } : {}),
      };
    }
    return { at, ...wordsOf(detail) };
  });
  return [...worded, ...rest];
}
