import type Joi from 'joi';

export type JsonSchema = { [name: string]: unknown };

/** What Joi says of a schema, as far as is looked at here. */
interface Described {
  readonly type?: string;
  readonly flags?: { readonly presence?: string; readonly description?: string };
  readonly keys?: Readonly<Record<string, Described>>;
  readonly patterns?: readonly { readonly schema?: Described; readonly rule: Described }[];
  readonly dependencies?: readonly { readonly rel: string; readonly peers: readonly string[] }[];
  readonly items?: readonly Described[];
  readonly rules?: readonly { readonly name: string; readonly args?: unknown }[];
  readonly allow?: readonly unknown[];
  readonly matches?: readonly Match[];
  readonly whens?: readonly Match[];
}

interface Match {
  readonly schema?: Described;
  readonly ref?: { readonly path: readonly string[] };
  readonly is?: Described;
  readonly then?: Described;
  readonly otherwise?: Described;
  readonly switch?: readonly { readonly is: Described; readonly then?: Described; readonly otherwise?: Described }[];
}

const bare = (schema: Joi.Schema): JsonSchema =>
  (schema as unknown as { '~standard': { jsonSchema: { input(options: object): JsonSchema } } })[
    '~standard'
  ].jsonSchema.input({ target: 'draft-2020-12' });

/** The values of a condition such as `is: 'mail'`. */
const valuesOf = (is: Described) => (is.allow ?? []).filter((one) => typeof one !== 'object' || one === null);

const required = (name: string): JsonSchema => ({ required: [name] });

/** Which of several keys there must be, where the library says nothing of it. */
function peersOf({ rel, peers }: { readonly rel: string; readonly peers: readonly string[] }): JsonSchema[] {
  if (rel === 'xor') return [{ oneOf: peers.map(required) }];
  if (rel === 'or') return [{ anyOf: peers.map(required) }];
  if (rel === 'nand') return [{ not: { required: [...peers] } }];
  if (rel === 'oxor') return [{ anyOf: [{ oneOf: peers.map(required) }, { not: { anyOf: peers.map(required) } }] }];
  return [];
}

function add(schema: JsonSchema, more: readonly JsonSchema[]): void {
  if (more.length > 0) schema['allOf'] = [...((schema['allOf'] as JsonSchema[] | undefined) ?? []), ...more];
}

/** Of a key that hangs on a sibling: what holds when, said where both are seen. */
function conditionsOf(name: string, { type, whens = [] }: Described, property: JsonSchema): JsonSchema[] {
  // Of a key that has no type of its own the library wrote each case as an alternative.
  const cases = type === 'any' ? ((property['anyOf'] as JsonSchema[] | undefined) ?? []) : [];
  return whens.flatMap(({ ref, is, then, otherwise }): JsonSchema[] => {
    if (!ref || !is) return [];
    const sibling = ref.path.at(-1)!;
    const branch = (one: Described, at: number): JsonSchema => {
      if (one.flags?.presence === 'forbidden') return { not: required(name) };
      const needs = one.flags?.presence === 'required' ? required(name) : {};
      return { ...needs, properties: { [name]: cases[at] ?? {} } };
    };
    const isNeeded = is.flags?.presence === 'required';
    return [
      {
        if: { properties: { [sibling]: { enum: valuesOf(is) } }, ...(isNeeded ? required(sibling) : {}) },
        ...(then ? { then: branch(then, 0) } : {}),
        ...(otherwise ? { else: branch(otherwise, then ? 1 : 0) } : {}),
      },
    ];
  });
}

/** Alternatives that are told apart by a key of theirs: each names its own value of it. */
function complete(schema: JsonSchema, described: Described): void {
  const { type, keys = {}, patterns = [], dependencies = [], items = [], rules = [], matches = [] } = described;
  const properties = (schema['properties'] ?? {}) as Record<string, JsonSchema>;
  for (const [name, key] of Object.entries(keys)) {
    const property = properties[name];
    if (!property) continue;
    complete(property, key);
    add(schema, conditionsOf(name, key, property));
  }
  add(schema, dependencies.flatMap(peersOf));
  const [map] = patterns;
  if (map && patterns.length === 1 && Object.keys(keys).length === 0) {
    const [value] = Object.values((schema['patternProperties'] ?? {}) as Record<string, JsonSchema>);
    if (value) {
      complete(value, map.rule);
      delete schema['patternProperties'];
      schema['additionalProperties'] = value;
      const limits = nameLimits(map.schema);
      if (Object.keys(limits).length > 0) schema['propertyNames'] = limits;
    }
  }
  const item = schema['items'] as JsonSchema | undefined;
  if (item && items.length === 1) complete(item, items[0]!);
  if (rules.some((one) => one.name === 'unique')) schema['uniqueItems'] = true;
  if (type === 'string') completeText(schema, rules);
  const branches = (schema['anyOf'] ?? []) as JsonSchema[];
  const [cases] = matches;
  if (cases?.switch && cases.ref) {
    const key = cases.ref.path.at(-1)!;
    cases.switch.forEach(({ is, then }, i) => {
      const branch = branches[i];
      if (!branch || !then) return;
      complete(branch, then);
      branch['properties'] = { ...(branch['properties'] as object | undefined), [key]: { enum: valuesOf(is) } };
    });
    const last = branches[cases.switch.length];
    const otherwise = cases.switch.at(-1)?.otherwise ?? cases.otherwise;
    if (last && otherwise) {
      complete(last, otherwise);
      const told = cases.switch.flatMap(({ is }) => valuesOf(is));
      add(last, [{ not: { properties: { [key]: { enum: told } }, required: [key] } }]);
    }
  } else {
    const shapes = matches.map((one) => one.schema ?? one.then);
    branches.forEach((branch, i) => shapes[i] && complete(branch, shapes[i]));
  }
}

/** What names of a map's entries must be. */
function nameLimits(schema: Described | undefined): JsonSchema {
  const limits: JsonSchema = {};
  for (const { name, args } of schema?.rules ?? []) {
    if (name === 'max') limits['maxLength'] = (args as { limit: number }).limit;
    if (name === 'pattern') limits['pattern'] = sourceOf((args as { regex: unknown }).regex);
  }
  return limits;
}

/** Joi describes a regular expression as text between slashes. */
const sourceOf = (regex: unknown): string => String(regex).replace(/^\/([\s\S]*)\/[a-z]*$/, '$1');

function completeText(schema: JsonSchema, rules: NonNullable<Described['rules']>): void {
  const names = rules.map((one) => one.name);
  // No space at either end; without `trim` nothing is said of them.
  const trim = rules.find((one) => one.name === 'trim');
  if (trim && (trim.args as { enabled?: boolean } | undefined)?.enabled !== false)
    add(schema, [{ pattern: '^(?!\\s)[\\s\\S]*(?<!\\s)$' }]);
  if (names.includes('email')) add(schema, [{ pattern: '^[^\\s@]+@[^\\s@]+$' }]);
  if (names.includes('isoDate')) add(schema, [{ pattern: '^\\d{4}-\\d{2}-\\d{2}' }]);
}

/**
 * A Joi schema as JSON Schema (draft 2020-12), as Joi itself writes it, with what that leaves out: maps and the names of their
 * entries, keys that go together, keys that hang on others.
 *
 * @param about - `$id` and title, where the schema stands for itself
 */
export function jsonSchemaOf(schema: Joi.Schema, about?: { readonly id: string; readonly title: string }): JsonSchema {
  const made = structuredClone(bare(schema));
  complete(made, schema.describe() as Described);
  if (about === undefined) return made;
  return { $schema: 'https://json-schema.org/draft/2020-12/schema', $id: about.id, title: about.title, ...made };
}
