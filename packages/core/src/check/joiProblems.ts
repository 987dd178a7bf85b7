import type Joi from 'joi';
import { suggest, type Problem } from '../refusal/index.ts';

/** A JSON Pointer (RFC 6901) of a path. */
export function toPointer(path: readonly (string | number)[]): string {
  return path.map((part) => `/${String(part).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
}

/** The names that an object schema allows at a path, for "did you mean". */
function namesAt(schema: Joi.Schema, path: readonly (string | number)[], value: unknown): string[] {
  let described = schema.describe() as Joi.Description;
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
 * The complaints of a Joi validation as problems with JSON Pointers and hints.
 *
 * @param value - the value that was validated, to name the alternatives at the right place
 */
export function joiProblems(error: Joi.ValidationError, schema: Joi.Schema, value: unknown): Problem[] {
  return error.details.map((detail) => {
    const at = toPointer(detail.path) || '/';
    const word = String(detail.path.at(-1) ?? '');
    if (detail.type === 'object.unknown') {
      return {
        at,
        message: `\`${word}\` is not known here`,
        ...suggest(word, namesAt(schema, detail.path.slice(0, -1), value)),
      };
    }
    const valids = detail.context?.['valids'] as unknown[] | undefined;
    if (detail.type === 'any.only' && valids) {
      const given = String(detail.context?.['value']);
      return { at, message: `\`${given}\` is not one of the allowed values`, ...suggest(given, valids.map(String)) };
    }
    if (detail.type === 'string.pattern.name' || detail.type === 'string.pattern.base') {
      const wanted = (detail.context as { name?: string } | undefined)?.name;
      return {
        at,
        message: `\`${String(detail.context?.['value']).slice(0, 60)}\` is not usable here`,
        ...(wanted ? { hint: wanted } : {}),
      };
    }
    return { at, message: detail.message.replaceAll('"', '`') };
  });
}
