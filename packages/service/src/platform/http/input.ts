import type Joi from 'joi';
import { validate } from '@underbell/core/check';
import { Refusal } from '@underbell/core/refusal';

/**
 * Validates one part of a request.
 *
 * @throws {Refusal} `OPTION_UNKNOWN` for an unknown name, `INPUT_INVALID` for a wrong value; never ignored
 */
export function readInput(value: unknown, schema: Joi.Schema | undefined, part: 'path' | 'query' | 'body'): unknown {
  if (schema === undefined) {
    const names = part === 'body' || value === null || typeof value !== 'object' ? [] : Object.keys(value);
    if (names.length > 0)
      throw new Refusal('OPTION_UNKNOWN', `Unknown ${part} option “${names[0]}”.`, {
        pointer: names[0],
        word: names[0],
      });
    return undefined;
  }
  const found = validate(value ?? {}, schema, { convert: part !== 'body' });
  if (!found.problems) return found.value;
  const { problems, isUnknownName } = found;
  const [first] = problems;
  throw new Refusal(isUnknownName ? 'OPTION_UNKNOWN' : 'INPUT_INVALID', first.message, {
    pointer: first.at,
    hint: first.hint,
    nearest: first.nearest,
    problems,
  });
}
