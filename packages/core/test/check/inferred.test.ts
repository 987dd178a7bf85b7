import assert from 'node:assert/strict';
import Joi from 'joi';
import { describe, it } from 'node:test';
import { readAs, type Inferred } from '@underbell/core/check';

/** Compiles only where both are the same type. */
type Same<A, B> = (<T>() => T extends A ? 1 : 2) extends <T>() => T extends B ? 1 : 2 ? true : false;
/** Joined objects written as one, so that they can be compared. */
type Flat<T> = T extends object ? { [K in keyof T]: T[K] } : T;
const same = <A, B>(_: Same<A, B>): void => undefined;

describe('types of what schemas read', () => {
  it('says what is there, what may be, and which values there are', () => {
    const schema = Joi.object({
      name: Joi.string().max(20).required(),
      kind: Joi.string().valid('portal', 'screen').required(),
      rows: Joi.number().integer().default(10),
      note: Joi.string().allow(null),
      tags: Joi.array().items(Joi.string().valid('a', 'b')).required(),
      words: Joi.object().pattern(Joi.string(), Joi.number()).required(),
      either: Joi.alternatives(Joi.string(), Joi.boolean()).required(),
    }).xor('note', 'name');
    same<
      Flat<Inferred<typeof schema>>,
      {
        name: string;
        kind: 'portal' | 'screen';
        rows: number;
        tags: ('a' | 'b')[];
        words: Record<string, number>;
        either: string | boolean;
        note?: string | null | undefined;
      }
    >(true);
    const value = {
      name: 'quays',
      kind: 'portal',
      tags: ['a'],
      words: { one: 1 },
      either: true,
    };
    assert.deepEqual(schema.validate(value).value, { ...value, rows: 10 });
  });

  it('follows added keys, and what a change of form is said to make', () => {
    const date = readAs<Date>()(Joi.string().isoDate().raw(false));
    const schema = Joi.object({ name: Joi.string().required() }).keys({ at: date.required() });
    same<Flat<Inferred<typeof schema>>, { name: string; at: Date }>(true);
    assert.ok(schema.validate({ name: 'quays' }).error, 'the added key is required');
    same<Inferred<undefined>, undefined>(true);
    // @ts-expect-error -- a key that is not required may be missing
    same<Flat<Inferred<Joi.ObjectSchema<{ a?: string }>>>, { a: string }>(true);
  });
});
