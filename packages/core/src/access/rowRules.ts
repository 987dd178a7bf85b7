import type { DatasetShape, ValueType } from '../dataset/index.ts';
import {
  allOf,
  anyOf,
  checkFilter,
  checkReaderFilter,
  columnNamesIn,
  columnsOf,
  conjunctsOf,
  nothing,
  readFilter,
  type FilterNode,
  type FilterScope,
  type ValueFunction,
  type TypedNode,
} from '../filter/index.ts';
import { Refusal, isRefusal, suggest } from '../refusal/index.ts';
import { columnHidden } from '../report/index.ts';
import type { FilterPart } from './filterOrder.ts';
import { bothMaskings, decideMasks, isMasked, type Mask, type Masking, type MaskPlace } from './masks.ts';
import type { PersonViewer, Viewer } from './viewer.ts';

/** A condition that limits a dataset's rows for everyone, the members of a group, or one person. */
export interface RowRule {
  readonly name: string;
  readonly dataset: string;
  readonly appliesTo: { readonly kind: 'everyone' } | { readonly kind: 'group' | 'person'; readonly name: string };
  /** CQL2 text. */
  readonly where: string;
}

/** The instant at which a decision is made, and the day it is for its viewer. */
export interface Moment {
  readonly now: number;
  readonly today: string;
  /** IANA time zone in which days begin; UTC when left out. */
  readonly timeZone?: string;
}

/** A rule's text as a condition for one person; an attribute that the person lacks gives no rows and a reason. */
function ruleFor(
  rule: RowRule,
  person: PersonViewer,
  dataset: DatasetShape,
  moment: Moment,
): { node: TypedNode; words?: string } {
  const scope: FilterScope = {
    dataset,
    text: rule.where,
    ...moment,
    valuesOf: (source, name) => (source === 'person' ? personValues(person, name) : undefined),
  };
  try {
    return { node: checkFilter(readFilter(rule.where), scope) };
  } catch (error) {
    if (!isRefusal(error, 'VALUE_UNBOUND')) throw error;
    return { node: nothing, words: `no rows: ${person.name} has no attribute “${error.details.word}”` };
  }
}

function personValues(person: PersonViewer, name: string): readonly string[] | undefined {
  if (name === 'email') return [person.email];
  return Object.hasOwn(person.attributes, name) ? person.attributes[name] : undefined;
}

function applies(rule: RowRule, person: PersonViewer): boolean {
  const { appliesTo } = rule;
  if (appliesTo.kind === 'everyone') return true;
  return appliesTo.kind === 'group' ? person.groups.includes(appliesTo.name) : person.email === appliesTo.name;
}

/**
 * What row rules leave of a dataset for a person.
 *
 * Rules for everyone must all hold; of the rules for groups and persons that apply, one must hold. Where such rules
 * exist and none applies, there are no rows.
 */
function personParts(
  rules: readonly RowRule[],
  person: PersonViewer,
  dataset: DatasetShape,
  moment: Moment,
): FilterPart[] {
  const part = (name: string, made: { node: TypedNode; words?: string }): FilterPart => ({
    origin: 'row rule',
    name,
    isFixed: true,
    ...made,
  });
  const forEveryone = rules.filter((rule) => rule.appliesTo.kind === 'everyone');
  const opening = rules.filter((rule) => rule.appliesTo.kind !== 'everyone');
  const parts = forEveryone.map((rule) => part(rule.name, ruleFor(rule, person, dataset, moment)));
  if (opening.length === 0) return parts;
  const matching = opening.filter((rule) => applies(rule, person));
  if (matching.length === 0) {
    return [
      ...parts,
      part('no rule applies', {
        node: nothing,
        words: `no rows: no row rule of dataset “${dataset.name}” applies to ${person.name}`,
      }),
    ];
  }
  const made = matching.map((rule) => ruleFor(rule, person, dataset, moment));
  const names = matching.map((rule) => rule.name).join(' or ');
  return [...parts, part(names, made.length === 1 ? made[0]! : { node: anyOf(made.map((one) => one.node)) })];
}

/**
 * Whether a condition holds a value of a guarding column fast: at its top, or joined by AND, stands `column = value` or
 * `column IN (values)`.
 */
function fixesOneOf(node: TypedNode, names: ReadonlySet<string>): boolean {
  if (node.kind !== 'operation') return false;
  if (node.op === 'and') return node.args.some((arg) => fixesOneOf(arg, names));
  if (node.op !== '=' && node.op !== 'in') return false;
  const [left, ...values] = node.args;
  return left?.kind === 'column' && names.has(left.column.name) && values.every((one) => one.kind === 'literal');
}

/** The columns that a rule tells people apart by: those beside an attribute of a user, or all, where it names none. */
function lookedAt({ where }: RowRule): ReadonlySet<string> {
  const tree = readFilter(where);
  const besidePerson = new Set<string>();
  const hasPerson = (node: FilterNode): boolean =>
    node.kind === 'call'
      ? node.name === 'person' || node.args.some(hasPerson)
      : node.kind === 'array' && node.items.some(hasPerson);
  const visit = (node: FilterNode): void => {
    if (node.kind !== 'operation') return;
    if (node.args.some(hasPerson)) for (const name of columnNamesIn(node)) besidePerson.add(name);
    else node.args.forEach(visit);
  };
  visit(tree);
  return besidePerson.size > 0 ? besidePerson : columnNamesIn(tree);
}

/** The columns by which a ruled dataset is divided among people: those that its rules look at, and those its owner names. */
function guardingColumns(rules: readonly RowRule[], dataset: DatasetShape): Set<string> {
  const looked = new Set(rules.filter((rule) => rule.dataset === dataset.name).flatMap((rule) => [...lookedAt(rule)]));
  return new Set(dataset.columns.filter((one) => one.guards === true || looked.has(one.name)).map((one) => one.name));
}

/** The conjuncts of a condition whose values its asker chose: those that fix a guarding column, and the rest. */
export function splitByGuard(
  node: TypedNode,
  rules: readonly RowRule[],
  dataset: DatasetShape,
): { readonly fixing: readonly TypedNode[]; readonly rest: readonly TypedNode[] } {
  const guarding = guardingColumns(rules, dataset);
  const all = conjunctsOf(node);
  const isFixing = (one: TypedNode) => fixesOneOf(one, guarding);
  return { fixing: all.filter(isFixing), rest: all.filter((one) => !isFixing(one)) };
}

/** Whether a condition fixes a dataset's column of this key to values; true where it has none. */
export function fixesKey(node: TypedNode | undefined, dataset: DatasetShape, key: string): boolean {
  const names = dataset.columns.filter((column) => column.key === key).map((column) => column.name);
  return names.length === 0 || (node !== undefined && fixesOneOf(node, new Set(names)));
}

/** A token's filter for one dataset, checked; undefined when it carries none. */
export function checkTokenFilter(
  where: Readonly<Record<string, string>>,
  dataset: DatasetShape,
  rules: readonly RowRule[],
  moment: Moment,
  options: {
    readonly hasPerson: boolean;
    /** Conditions that hold wherever the token is good for: those of the only placement that it opens. */
    readonly beside?: readonly TypedNode[];
  },
): TypedNode | undefined {
  const text = Object.hasOwn(where, dataset.name) ? where[dataset.name] : undefined;
  const node = text === undefined ? undefined : checkReaderFilter(readFilter(text), { dataset, text, ...moment });
  if (rules.length === 0 || options.hasPerson) return node;
  const guarding = guardingColumns(rules, dataset);
  const holding = [...(node ? [node] : []), ...(options.beside ?? [])];
  if (holding.some((one) => fixesOneOf(one, guarding))) return node;
  const columns = [...guarding].map((name) => `“${name}”`).join(' or ');
  throw new Refusal(
    'TOKEN_NEEDS_FILTER',
    `Dataset “${dataset.name}” has row rules: the token must name a user, or fix ${columns} with a filter.`,
    {
      pointer: `where/${dataset.name}`,
      hint: `Example: "where": {"${dataset.name}": "${[...guarding][0] ?? 'column'} = '…'"}`,
    },
  );
}

/** Refuses a token filter for a dataset that the report does not have: it would silently limit nothing. */
export function checkTokenDatasets(where: Readonly<Record<string, string>>, datasets: readonly string[]): void {
  for (const name of Object.keys(where)) {
    if (datasets.includes(name)) continue;
    throw new Refusal('INPUT_INVALID', `The report does not use dataset “${name}”.`, {
      pointer: `where/${name}`,
      word: name,
      ...suggest(name, datasets),
    });
  }
}

/** Whoever gave a program what it reaches has left, and nobody else gave it that. */
const nobodyBehind: FilterPart = {
  origin: 'row rule',
  name: 'without a user',
  isFixed: true,
  node: nothing,
  words: 'no rows: the user who granted the client its permissions is deactivated',
};

/**
 * A token's filter as limits. What fixes a guarding column looks at exact values; whatever else somebody writes into a token
 * looks at masked ones, as all that is asked for does.
 */
function tokenParts(
  name: string,
  node: TypedNode,
  { dataset, rules, masking }: { dataset: DatasetShape; rules: readonly RowRule[]; masking: Masking },
): FilterPart[] {
  if (!isMasked(masking)) return [{ origin: 'token', name, node, isFixed: true }];
  const { fixing, rest } = splitByGuard(node, rules, dataset);
  const hidden = rest.flatMap(columnsOf).find((column) => masking.hidden.has(column.name));
  if (hidden) throw columnHidden(dataset.name, hidden.name);
  const part = (nodes: readonly TypedNode[], isOutside: boolean): FilterPart[] =>
    nodes.length === 0
      ? []
      : [{ origin: 'token', name, node: allOf(nodes), isFixed: true, ...(isOutside ? { isOutside } : {}) }];
  return [...part(fixing, false), ...part(rest, true)];
}

/**
 * What a viewer may see of a dataset: the start of every effective filter.
 *
 * @throws {Refusal} `TOKEN_NEEDS_FILTER` for a token with neither person nor filter on a ruled dataset
 */
export function decideAccess(options: {
  readonly dataset: DatasetShape;
  /** The rules of this dataset, all of them. */
  readonly rules: readonly RowRule[];
  /** Its masks, all of them. */
  readonly masks: readonly Mask[];
  readonly viewer: Viewer;
  /** Where it is shown, when that is in a placement or a burst. */
  readonly place?: MaskPlace;
  readonly moment: Moment;
  /** The conditions of the placement, where the viewer's token opens nothing else. */
  readonly beside?: readonly TypedNode[];
}): { dataset: DatasetShape; parts: FilterPart[]; masking: Masking } {
  const { dataset, viewer, moment, place } = options;
  const maskingOf = (one: Viewer) =>
    decideMasks(options.masks, dataset, one, { timeZone: moment.timeZone ?? 'UTC', ...(place ? { place } : {}) });
  const rules = options.rules.filter((rule) => rule.dataset === dataset.name);
  if (viewer.kind === 'person')
    return { dataset, parts: personParts(rules, viewer, dataset, moment), masking: maskingOf(viewer) };
  const givers = (viewer.givers && Object.hasOwn(viewer.givers, dataset.name) && viewer.givers[dataset.name]) || [];
  const masking = givers.reduce(
    (made, giver) => (giver === null ? made : bothMaskings(made, maskingOf(giver))),
    maskingOf(viewer),
  );
  const node = checkTokenFilter(viewer.where, dataset, rules, moment, {
    hasPerson: viewer.person !== undefined,
    beside: options.beside ?? [],
  });
  const own = viewer.person ? personParts(rules, viewer.person, dataset, moment) : [];
  const token = node ? tokenParts(viewer.clientId, node, { dataset, rules, masking }) : [];
  const given = givers.flatMap((giver) =>
    giver === null ? [nobodyBehind] : personParts(rules, giver, dataset, moment),
  );
  return { dataset, parts: [...own, ...given, ...token], masking };
}

/** A field of the host's record that a filter needs. */
export interface RecordField {
  readonly name: string;
  readonly dataset: string;
  /** Of what it is compared with. */
  readonly type: ValueType;
  /** The column that it is compared with, where it is one alone. */
  readonly column?: string;
}

const samples = ['x', '0', 'true', '2026-01-01', '2026-01-01T00:00:00Z'];

/**
 * Checks a filter whose values come later, with every value function taken as present.
 *
 * A value takes the type of the column it stands beside, so any type that fits will do.
 */
function checkWithSamples(
  text: string,
  dataset: DatasetShape,
  isKnown: (source: ValueFunction, name: string) => boolean,
): TypedNode {
  // Several values may each stand beside a column of another type.
  let last: unknown;
  const names = new Map<string, number>();
  for (let tries = 0; tries < 200; tries++) {
    let asked = '';
    const valuesOf = (source: ValueFunction, name: string) => {
      if (!isKnown(source, name)) return undefined;
      asked = `${source} ${name}`;
      return [samples[names.get(asked) ?? 0]!];
    };
    try {
      return checkFilter(readFilter(text), { dataset, text, today: '2026-01-01', now: 0, valuesOf });
    } catch (error) {
      if (!isRefusal(error, 'VALUE_INVALID') || asked === '') throw error;
      last = error;
      const next = (names.get(asked) ?? 0) + 1;
      if (next >= samples.length) throw error;
      names.set(asked, next);
    }
  }
  throw last;
}

/** Checks a rule's text before it is saved, with every `person('…')` taken as present. */
export function checkRule(where: string, dataset: DatasetShape, attributes: readonly string[]): void {
  checkWithSamples(where, dataset, (source, name) => {
    if (source !== 'person') return false;
    if (name === 'email' || attributes.includes(name)) return true;
    throw new Refusal('VALUE_UNBOUND', `There is no user attribute “${name}”.`, {
      word: name,
      ...suggest(name, [...attributes, 'email']),
    });
  });
}

/** Checks a placement's filter before it is saved, with every field of the host's record taken as present. */
export function checkPlacementFilter(where: string, dataset: DatasetShape): void {
  checkWithSamples(where, dataset, (source) => source === 'record');
}

/**
 * Checks a filter for display screens.
 *
 * @param valuesOf - what a screen says of itself by that name; undefined refuses with `VALUE_UNBOUND`
 */
export function checkScreenFilter(
  where: string,
  dataset: DatasetShape,
  valuesOf: (name: string) => readonly string[] | undefined,
): TypedNode {
  return checkFilter(readFilter(where), {
    dataset,
    text: where,
    today: '2026-01-01',
    now: 0,
    valuesOf: (source, name) => (source === 'screen' ? valuesOf(name) : undefined),
  });
}

/** The fields of the host's record that a placement's filter needs, each once, in the order in which they stand there. */
export function recordFieldsIn(where: string, dataset: DatasetShape): RecordField[] {
  const found = new Map<string, RecordField>();
  const visit = (node: TypedNode, beside: TypedNode | undefined): void => {
    if (node.kind === 'operation') node.args.forEach((one, i) => visit(one, node.args[i === 0 ? 1 : 0]));
    const name = node.kind === 'literal' ? /^record\('(.*)'\)$/.exec(node.from ?? '')?.[1] : undefined;
    if (name === undefined || found.has(name)) return;
    const column = beside?.kind === 'column' ? { column: beside.column.name } : {};
    found.set(name, { name, dataset: dataset.name, type: (node as { type: ValueType }).type, ...column });
  };
  visit(
    checkWithSamples(where, dataset, (source) => source === 'record'),
    undefined,
  );
  return [...found.values()];
}

/**
 * Refuses a record that a placement's filter cannot be asked about: a new one has no number yet.
 *
 * @throws {Refusal} `RECORD_INCOMPLETE`, with the nearest of the fields that it has
 */
export function requireRecord(fields: readonly RecordField[], record: Readonly<Record<string, string>> = {}): void {
  const lacking = fields.find(({ name }) => !Object.hasOwn(record, name) || record[name]!.trim() === '');
  if (lacking === undefined) return;
  const { name } = lacking;
  const isEmpty = Object.hasOwn(record, name);
  throw new Refusal(
    'RECORD_INCOMPLETE',
    isEmpty ? `The field “${name}” of the record is empty.` : `The record has no field “${name}”.`,
    {
      pointer: `record/${name}`,
      word: name,
      hint: isEmpty
        ? 'Save the record, then open the report again.'
        : 'The host page must send this field with the record.',
      ...(isEmpty ? {} : suggest(name, Object.keys(record))),
    },
  );
}

/** Checks a burst's filter before it is saved, with every column of its recipient list taken as present. */
export function checkRecipientFilter(where: string, dataset: DatasetShape, columns: readonly string[]): void {
  checkWithSamples(where, dataset, (source, name) => {
    if (source !== 'recipient') return false;
    if (columns.includes(name)) return true;
    throw new Refusal('VALUE_UNBOUND', `The recipient list has no column “${name}”.`, {
      word: name,
      ...suggest(name, columns),
    });
  });
}
