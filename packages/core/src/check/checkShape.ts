import type Joi from 'joi';
import { Refusal, type RefusalCode } from '../refusal/index.ts';
import { validate } from './validate.ts';

/**
 * Validates a value against a schema and answers with every problem at once.
 *
 * @returns the value with defaults filled in
 * @throws {Refusal} of the given code, with `problems`
 */
export function checkShape<T>(value: unknown, schema: Joi.Schema, refusal: { code: RefusalCode; what: string }): T {
  const found = validate(value, schema, { convert: false });
  if (!found.problems) return found.value as T;
  const { problems } = found;
  const [first] = problems;
  throw new Refusal(refusal.code, `${refusal.what}: ${first.message}`, {
    pointer: first.at,
    hint: first.hint,
    nearest: first.nearest,
    problems,
  });
}
