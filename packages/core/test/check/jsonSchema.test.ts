import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { describe, it } from 'node:test';
import { Ajv2020 } from 'ajv/dist/2020.js';
import fc from 'fast-check';
import { boardSchema } from '../../src/board/index.ts';
import { burstSchema } from '../../src/burst/index.ts';
import { jsonSchemaOf } from '../../src/check/index.ts';
import { reportSchema } from '../../src/report/index.ts';
import { casesOf } from '../cases.ts';

const folder = new URL('../../../../demo/definitions/', import.meta.url);
const kinds = [
  ['report', reportSchema],
  ['burst', burstSchema],
  ['board', boardSchema],
] as const;
const read = (kind: string) =>
  readdirSync(folder)
    .filter((file) => file.endsWith(`.${kind}.json`))
    .map((file) => JSON.parse(readFileSync(new URL(file, folder), 'utf8')) as Json);

type Json = null | boolean | number | string | Json[] | { [name: string]: Json };

/** Every place of a definition, as the road to it. */
function placesOf(value: Json, at: readonly (string | number)[] = []): (readonly (string | number)[])[] {
  if (value === null || typeof value !== 'object') return [at];
  const below = Array.isArray(value)
    ? value.flatMap((one, i) => placesOf(one, [...at, i]))
    : Object.entries(value).flatMap(([name, one]) => placesOf(one, [...at, name]));
  return [at, ...below];
}

type Change =
  | { readonly kind: 'drop' }
  | { readonly kind: 'set'; readonly value: Json }
  | { readonly kind: 'add'; readonly name: string; readonly value: Json }
  | { readonly kind: 'twice' };

/** A definition with one place changed. */
function changed(definition: Json, at: readonly (string | number)[], change: Change): Json {
  const copy = structuredClone(definition);
  const last = at.at(-1);
  if (last === undefined) return change.kind === 'set' ? change.value : copy;
  const parent = at.slice(0, -1).reduce<Json>((one, step) => (one as Record<string, Json>)[step]!, copy) as Record<
    string,
    Json
  >;
  const own = parent[last]!;
  if (change.kind === 'drop') {
    if (Array.isArray(parent)) parent.splice(Number(last), 1);
    else delete parent[last];
  } else if (change.kind === 'set') parent[last] = change.value;
  else if (change.kind === 'twice') {
    if (Array.isArray(own) && own.length > 0) own.push(structuredClone(own[0]!));
  } else if (own !== null && typeof own === 'object' && !Array.isArray(own)) own[change.name] = change.value;
  return copy;
}

const value: fc.Arbitrary<Json> = fc.oneof(
  fc.constantFrom<Json>(
    null,
    true,
    false,
    0,
    1,
    -1,
    1.5,
    13,
    1e9,
    '',
    ' ',
    'x',
    ' padded',
    'Upper',
    'a-b',
    'a_b',
    '2026-10-01',
    'mail',
    'library',
    'day',
    'week',
    'run',
    'csv',
    'utf-8',
    'windows-1252',
    'bar',
    'number',
    'table',
    'period before',
    'target',
  ),
  fc.constantFrom<Json>(
    [],
    {},
    ['x'],
    ['csv'],
    ['csv', 'csv'],
    { x: 'y' },
    { kind: 'mail' },
    'x'.repeat(64),
    'x'.repeat(250),
  ),
);
const words = [
  '$schema',
  'mark',
  'key',
  'column',
  'dataset',
  'compare',
  'parameter',
  'narrow',
  'limit',
  'x',
  'where',
  'period',
  'format',
];
const change: fc.Arbitrary<Change> = fc.oneof(
  fc.constant({ kind: 'drop' } as const),
  fc.constant({ kind: 'twice' } as const),
  value.map((one) => ({ kind: 'set', value: one }) as const),
  fc.tuple(fc.constantFrom(...words), value).map(([name, one]) => ({ kind: 'add', name, value: one }) as const),
);

describe('JSON Schemas', () => {
  for (const [kind, schema] of kinds) {
    const ajv = new Ajv2020({
      strict: true,
      strictTypes: false,
      strictRequired: false,
      allowUnionTypes: true,
      validateFormats: false,
    });
    const check = ajv.compile(jsonSchemaOf(schema, { id: `https://bell.example/schemas/${kind}.json`, title: kind }));

    it(`of a ${kind} take the demo's, by a usual validator`, () => {
      const all = read(kind);
      assert.ok(all.length > 1);
      for (const one of all) assert.ok(check(one), ajv.errorsText(check.errors));
    });

    it(`of a ${kind} agree with the service's own check about changed ones`, (t) => {
      const { numRuns, seed } = casesOf(1_500, 2026);
      const all = read(kind);
      let refused = 0;
      fc.assert(
        fc.property(fc.constantFrom(...all), fc.nat(), change, (definition, at, what) => {
          const places = placesOf(definition);
          const made = changed(definition, places[at % places.length]!, what);
          const { error } = schema.validate(made, { convert: false });
          if (error) refused++;
          assert.equal(
            check(made),
            error === undefined,
            `${JSON.stringify(places[at % places.length])} ${JSON.stringify(what)}: ${error?.message ?? ajv.errorsText(check.errors)}`,
          );
        }),
        { numRuns, seed },
      );
      t.diagnostic(`${numRuns} ${kind}s, ${refused} of them refused, seed ${seed}`);
    });
  }
});
