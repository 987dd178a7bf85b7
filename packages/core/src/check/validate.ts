import type Joi from 'joi';
import type { Problem } from '../refusal/index.ts';
import { joiProblems } from './joiProblems.ts';

/** More values than these no input of ours has; looking for mistakes among more takes seconds. */
const mostValues = 50_000;
/** Up to so many values, every mistake is looked for; among more, the first. */
const mostLookedThrough = 2_000;
const mostDepth = 100;

/** How many values an input holds, at most one more than may be, and how deep they are nested. */
function measure(value: unknown): { count: number; depth: number } {
  const waiting: [value: unknown, depth: number][] = [[value, 0]];
  const size = { count: 0, depth: 0 };
  for (let one = waiting.pop(); one; one = waiting.pop()) {
    const [inner, depth] = one;
    size.depth = Math.max(size.depth, depth);
    if (++size.count > mostValues || depth > mostDepth) return size;
    if (inner === null || typeof inner !== 'object') continue;
    const parts: readonly unknown[] = Array.isArray(inner) ? inner : Object.values(inner);
    size.count += Math.max(0, parts.length - mostValues);
    for (const part of parts.slice(0, mostValues)) waiting.push([part, depth + 1]);
  }
  return size;
}

/** An input that fits its schema, with defaults filled in, or what is wrong with it. */
export type Validated =
  | { readonly value: unknown; readonly problems?: undefined }
  | { readonly problems: readonly [Problem, ...Problem[]]; readonly isUnknownName: boolean };

/**
 * Validates an input in a time that its size bounds, whatever is wrong with it: strangers choose what they send.
 *
 * @param convert - texts become the values that the schema names, as in queries
 */
export function validate(value: unknown, schema: Joi.Schema, { convert }: { readonly convert: boolean }): Validated {
  const { count, depth } = measure(value);
  if (count > mostValues || depth > mostDepth) {
    const message =
      depth > mostDepth
        ? `The input is nested more than ${mostDepth} levels deep.`
        : `The input has more than ${mostValues} values.`;
    return { problems: [{ at: '/', message, hint: 'Send it in parts.' }], isUnknownName: false };
  }
  const options = { convert, errors: { wrap: { label: '`' } } } as const;
  const first = schema.validate(value, { ...options, abortEarly: true });
  if (first.error === undefined) return { value: first.value as unknown };
  const error =
    count > mostLookedThrough
      ? first.error
      : (schema.validate(value, { ...options, abortEarly: false }).error ?? first.error);
  return {
    problems: joiProblems(error, schema, value) as unknown as readonly [Problem, ...Problem[]],
    isUnknownName: error.details[0]!.type === 'object.unknown',
  };
}
