import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import Joi from 'joi';
import { checkShape, toPointer } from '../../src/check/index.ts';
import { refused } from '../refused.ts';

const leaf = (kind: string) => Joi.object({ kind: Joi.string().valid(kind).required(), [`${kind}Size`]: Joi.number() });
const schema = Joi.object({
  name: Joi.string()
    .pattern(/^[a-z]+$/, 'lower-case letters')
    .required(),
  level: Joi.string().valid('view', 'export'),
  inner: Joi.object({ colour: Joi.string() }),
  list: Joi.array().items(Joi.object({ width: Joi.number() })),
  map: Joi.object().pattern(Joi.string(), Joi.object({ shared: Joi.boolean() })),
  figure: Joi.alternatives().conditional('.kind', {
    switch: ['bar', 'line'].map((kind) => ({ is: kind, then: leaf(kind) })),
  }),
  count: Joi.number().default(3),
});
const check = (value: unknown) =>
  checkShape<Record<string, unknown>>(value, schema, { code: 'INPUT_INVALID', what: 'the thing' });
const problemsOf = (value: unknown) => refused('INPUT_INVALID', () => check(value)).details.problems!;

describe('toPointer', () => {
  it('escapes as RFC 6901 does', () => {
    assert.equal(toPointer(['a/b', 'c~d', 0]), '/a~1b/c~0d/0');
    assert.equal(toPointer([]), '');
  });
});

describe('checkShape', () => {
  it('gives the value with its defaults', () => {
    assert.deepEqual(check({ name: 'a' }), { name: 'a', count: 3 });
  });

  it('never turns one type into another', () => {
    assert.equal(problemsOf({ name: 'a', count: '3' })[0]?.at, '/count');
  });

  for (const [what, value, at, nearest] of [
    ['at the top', { name: 'a', naem: 1 }, '/naem', 'name'],
    ['inside an object', { name: 'a', inner: { color: 'x' } }, '/inner/color', 'colour'],
    ['inside a list', { name: 'a', list: [{ width: 1 }, { widht: 1 }] }, '/list/1/widht', 'width'],
    ['inside a map', { name: 'a', map: { sailings: { share: true } } }, '/map/sailings/share', 'shared'],
    ['inside an alternative', { name: 'a', figure: { kind: 'line', linesize: 1 } }, '/figure/linesize', 'lineSize'],
    ['in a choice', { name: 'a', level: 'veiw' }, '/level', 'view'],
  ] as const) {
    it(`names the nearest word ${what}`, () => {
      const [problem] = problemsOf(value);
      assert.deepEqual([problem?.at, problem?.nearest?.[0]], [at, nearest]);
    });
  }

  it('says what a pattern wants', () => {
    assert.deepEqual(
      [problemsOf({ name: 'A' })[0]?.at, problemsOf({ name: 'A' })[0]?.hint],
      ['/name', 'lower-case letters'],
    );
  });

  it('names everything that is wrong at once', () => {
    assert.deepEqual(
      problemsOf({ level: 'x', inner: 3, extra: 1 })
        .map((one) => one.at)
        .sort(),
      ['/extra', '/inner', '/level', '/name'],
    );
  });

  it('points at the whole when there is no object at all', () => {
    assert.equal(problemsOf('text')[0]?.at, '/');
  });
});
