import type Joi from 'joi';

declare const present: unique symbol;
declare const read: unique symbol;
declare const orElse: unique symbol;

/** A key that is there after reading: it is required, or something stands in for it. */
interface Present {
  readonly [present]: true;
}
/** What is read is one of these. */
interface Read<T> {
  readonly [read]: T;
}
/** What is read may be one of these as well. */
interface OrElse<T> {
  readonly [orElse]: T;
}

type IsAny<T> = 0 extends 1 & T ? true : false;

/** What an object, a text or a list is once it was read by a schema. */
export type Inferred<S> = S extends undefined
  ? undefined
  : | (S extends Read<infer T> ? T : S extends Joi.AnySchema<infer T> ? T : never)
    | (S extends OrElse<infer T> ? T : never);

type Keys = Readonly<Record<string, Joi.AnySchema>>;
type InferredKeys<M extends Keys> = {
  -readonly [K in keyof M as M[K] extends Present ? K : never]: Inferred<M[K]>;
} & { -readonly [K in keyof M as M[K] extends Present ? never : K]?: Inferred<M[K]> };

/* eslint-disable @typescript-eslint/no-explicit-any, @typescript-eslint/no-unused-vars -- declarations that merge must have the type parameters of Joi's own */
declare module 'joi' {
  interface AnySchema<TSchema = any> {
    required(): this & Present;
    default<V>(value: V, options?: Joi.HierarchySeparatorOptions): this & Present;
    valid<const V extends readonly unknown[]>(...values: V): this & Read<V[number]>;
    allow(value: null): this & OrElse<null>;
  }
  interface ArraySchema<TSchema = any[]> {
    items<S extends Joi.AnySchema>(schema: S): Joi.ArraySchema<Inferred<S>[]>;
  }
  interface ObjectSchema<TSchema = any> {
    keys<M extends Keys>(
      schema: M,
    ): Joi.ObjectSchema<IsAny<TSchema> extends true ? InferredKeys<M> : TSchema & InferredKeys<M>>;
    pattern<S extends Joi.AnySchema>(
      names: RegExp | Joi.AnySchema,
      schema: S,
    ): Joi.ObjectSchema<
      IsAny<TSchema> extends true ? Record<string, Inferred<S>> : TSchema & Record<string, Inferred<S>>
    >;
  }
  interface Root {
    object<M extends Keys>(schema: M): Joi.ObjectSchema<InferredKeys<M>>;
    alternatives<const S extends readonly Joi.AnySchema[]>(...schemas: S): Joi.AlternativesSchema<Inferred<S[number]>>;
  }
}
/* eslint-enable */

/** Says what a schema makes of what it reads, where Joi's own types cannot: after a change of form, or by conditions. */
export const readAs =
  <T>() =>
  <S extends Joi.AnySchema>(schema: S): S & Read<T> =>
    schema as S & Read<T>;
