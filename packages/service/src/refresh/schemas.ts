import Joi from 'joi';
import { columnTypes, fieldName, sensitivities } from '@underbell/core/dataset';
import { numberPattern } from '@underbell/core/format';
import { Refusal, suggest } from '@underbell/core/refusal';
import type { ColumnNote } from '../dataset/index.ts';

export const field = Joi.string().pattern(
  fieldName,
  'lower-case letters, digits and underscores, starting with a letter',
);
export const note = Joi.object({
  name: field.required(),
  type: Joi.string().valid(...columnTypes),
  label: Joi.string().max(200),
  key: field,
  unit: Joi.string().max(20),
  format: Joi.string().max(40).pattern(numberPattern, 'a Unicode number pattern such as #,##0.0 or 0.0 %'),
  sensitivity: Joi.string().valid(...sensitivities),
  guards: Joi.boolean()
    .valid(true)
    .description('this column identifies one user: a token that fixes it shows rows of that user only'),
});

export const pairs = Joi.array().items(Joi.string().max(200)).single().default([]);

/** `quay_id=quay` pairs of a query option. */
export function readPairs(pairs: readonly string[], what: 'key' | 'type' | 'label' | 'unit'): ColumnNote[] {
  return pairs.map((pair) => {
    const at = pair.indexOf('=');
    if (at < 1) throw new Refusal('INPUT_INVALID', `“${pair}” is not column=${what}.`, { pointer: what, word: pair });
    const value = pair.slice(at + 1);
    if (what === 'type' && !(columnTypes as readonly string[]).includes(value)) {
      throw new Refusal('INPUT_INVALID', `There is no column type “${value}”.`, {
        pointer: what,
        word: value,
        ...suggest(value, columnTypes),
      });
    }
    return { name: pair.slice(0, at), [what]: value } as ColumnNote;
  });
}

export function mergeNotes(notes: readonly ColumnNote[]): ColumnNote[] {
  const merged = new Map<string, ColumnNote>();
  for (const one of notes) merged.set(one.name, { ...merged.get(one.name), ...one });
  return [...merged.values()];
}

/** When something is done by itself: an RFC 5545 rule with its start and zone. */
export const scheduleBody = Joi.object({
  rule: Joi.string().max(400).required(),
  start: Joi.string().max(25).required(),
  timeZone: Joi.string().max(60).required(),
});
