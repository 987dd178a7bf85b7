import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import Joi from 'joi';
import { joiWords } from '../../src/check/joiWords.ts';
import { validate } from '../../src/check/index.ts';

/** All that the library may complain of, of the types that inputs have. */
const codes = [
  Joi.any(),
  Joi.string(),
  Joi.number(),
  Joi.boolean(),
  Joi.date(),
  Joi.array(),
  Joi.object(),
  Joi.alternatives(),
].flatMap((schema) => Object.keys((schema as unknown as { _definition: { messages: object } })._definition.messages));

describe('what is wrong with an input', () => {
  it('is told in our words, whatever it is', () => {
    const missing = [...new Set(codes)].filter((code) => joiWords[code] === undefined);
    assert.ok(codes.length > 80, `${codes.length} codes`);
    assert.deepEqual(missing, []);
    process.stdout.write(`  ℹ ${new Set(codes).size} mistakes have words\n`);
  });

  it('names the part as people count it, and what to do', () => {
    const schema = Joi.object({
      days: Joi.array().items(Joi.string().length(10)).min(1),
      name: Joi.string().required(),
      targets: Joi.array().items(Joi.string()).min(1),
      size: Joi.number().integer().min(2),
      from: Joi.string(),
      to: Joi.string(),
    }).with('from', 'to');
    const found = validate({ days: ['2026-10-01', '1.10.'], targets: [], size: 1, from: 'a' }, schema, {
      convert: false,
    });
    assert.deepEqual(
      found.problems!.map((one) => one.message),
      [
        'Entry 2 of “days” must have 10 characters.',
        '“name” is missing.',
        '“targets” needs at least 1 entry.',
        '“size” must be 2 or more.',
        '“from” needs “to” with it.',
      ],
    );
  });
});
