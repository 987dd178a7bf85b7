import type Joi from 'joi';
import { Refusal, type RefusalCode } from '../refusal/index.ts';
import { joiProblems } from './joiProblems.ts';

/**
 * Validates a value against a schema and answers with every problem at once.
 *
 * @returns the value with defaults filled in
 * @throws {Refusal} of the given code, with `problems`
 */
export function checkShape<T>(value: unknown, schema: Joi.Schema, refusal: { code: RefusalCode; what: string }): T {
  const result = schema.validate(value, { abortEarly: false, convert: false, errors: { wrap: { label: '`' } } });
  if (result.error === undefined) return result.value as T;
  const problems = joiProblems(result.error, schema, value);
  const first = problems[0]!;
  throw new Refusal(refusal.code, `${refusal.what}: ${first.message}`, {
    pointer: first.at,
    hint: first.hint,
    nearest: first.nearest,
    problems,
  });
}
