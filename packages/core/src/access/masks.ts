import type { DatasetColumn, DatasetShape } from '../dataset/index.ts';
import { valueTypeOf } from '../dataset/index.ts';
import { Refusal, suggest } from '../refusal/index.ts';
import type { Viewer } from './viewer.ts';

/** Kinds of places that reports are delivered into; a burst is one to masks. */
export type PlaceKind = 'portal' | 'channel' | 'app' | 'screen' | 'link';
export const placeKinds: readonly PlaceKind[] = ['portal', 'channel', 'app', 'screen', 'link'];
export type MaskPlace = PlaceKind | 'burst';
export const maskPlaces: readonly MaskPlace[] = [...placeKinds, 'burst'];

/** What stands in a column instead of the exact value. */
export type Coarsening =
  | { readonly to: 'column'; readonly column: string }
  | { readonly to: 'day' | 'month' | 'quarter' | 'year' }
  | { readonly to: 'band'; readonly width: number };

export type MaskEffect =
  | { readonly kind: 'hide'; readonly column: string }
  | { readonly kind: 'coarsen'; readonly column: string; readonly by: Coarsening }
  /** Groups of fewer rows are not shown, and no single rows. */
  | { readonly kind: 'small groups'; readonly rows: number };

export type MaskHolder =
  | { readonly kind: 'everyone' }
  | { readonly kind: 'group' | 'person'; readonly name: string }
  | { readonly kind: 'place'; readonly name: MaskPlace };

/** Hides or coarsens a column of a dataset for some people or places. */
export interface Mask {
  readonly name: string;
  readonly dataset: string;
  readonly appliesTo: MaskHolder;
  /** Groups whose members the mask spares. */
  readonly except: readonly string[];
  readonly effect: MaskEffect;
}

/** What all masks together do to one dataset for one viewing. */
export interface Masking {
  readonly hidden: ReadonlySet<string>;
  readonly coarse: ReadonlyMap<string, Coarsening>;
  /** Smallest group of rows that is shown; 1 shows everything. */
  readonly minRows: number;
  /** Where only groups are shown: measures of whoever wrote the report may aggregate bare columns alone. */
  readonly plainMeasures?: true;
  /** IANA time zone in which days and months begin. */
  readonly timeZone: string;
  /** Each effect in words, with the name of the mask. */
  readonly words: readonly { readonly name: string; readonly words: string }[];
}

export const noMasking: Masking = { hidden: new Set(), coarse: new Map(), minRows: 1, timeZone: 'UTC', words: [] };

export function isMasked(masking: Masking): boolean {
  return masking.words.length > 0;
}

/** Whether any of these columns is hidden or coarsened. */
export function masksAny(masking: Masking, columns: readonly string[]): boolean {
  return columns.some((name) => masking.hidden.has(name) || masking.coarse.has(name));
}

/**
 * Whether a mask applies. A token that names nobody may be shown to anybody, so the masks of every group and person
 * apply to it, and no exception does.
 */
function applies(mask: Mask, viewer: Viewer, place: MaskPlace | undefined): boolean {
  const { appliesTo, except } = mask;
  const person = viewer.kind === 'person' ? viewer : viewer.person;
  if (person && except.some((group) => person.groups.includes(group))) return false;
  switch (appliesTo.kind) {
    case 'everyone':
      return true;
    case 'place':
      return place === appliesTo.name;
    case 'group':
      return person === undefined || person.groups.includes(appliesTo.name);
    case 'person':
      return person === undefined || person.email === appliesTo.name;
  }
}

const coarseWords = (by: Coarsening): string => {
  if (by.to === 'column') return `shown as ${by.column.replaceAll('_', ' ')}`;
  return by.to === 'band' ? `shown in steps of ${by.width}` : `shown by ${by.to}`;
};

/** What a mask does, in words: "fares is shown in steps of 100". */
export function maskWords(effect: MaskEffect): string {
  if (effect.kind === 'small groups') return `groups of fewer than ${effect.rows} rows are not shown`;
  const column = effect.column.replaceAll('_', ' ');
  return effect.kind === 'hide' ? `${column} is hidden` : `${column} is ${coarseWords(effect.by)}`;
}

const isSameCoarsening = (a: Coarsening, b: Coarsening) => JSON.stringify(a) === JSON.stringify(b);

/**
 * What masks do to a dataset for a viewer.
 *
 * Several add up: hiding beats coarsening, two different coarsenings of a column hide it, the largest group size counts.
 */
export function decideMasks(
  masks: readonly Mask[],
  dataset: DatasetShape,
  viewer: Viewer,
  options: { readonly place?: MaskPlace; readonly timeZone: string },
): Masking {
  const matching = masks.filter((mask) => mask.dataset === dataset.name && applies(mask, viewer, options.place));
  const hidden = new Set<string>();
  const coarse = new Map<string, Coarsening>();
  let minRows = 1;
  for (const { effect } of matching) {
    if (effect.kind === 'small groups') minRows = Math.max(minRows, effect.rows);
    else if (effect.kind === 'hide') hidden.add(effect.column);
    else {
      const known = coarse.get(effect.column);
      if (known && !isSameCoarsening(known, effect.by)) hidden.add(effect.column);
      coarse.set(effect.column, effect.by);
    }
  }
  const words = matching.map((mask) => ({ name: mask.name, words: maskWords(mask.effect) }));
  return completed({ hidden, coarse, minRows, timeZone: options.timeZone, words });
}

/** What stands in for a column is no less hidden than the column that it comes from. */
function completed(masking: Masking): Masking {
  const hidden = new Set(masking.hidden);
  const coarse = new Map(masking.coarse);
  for (const [column, by] of coarse)
    if (by.to === 'column' && (hidden.has(by.column) || coarse.has(by.column))) hidden.add(column);
  for (const column of hidden) coarse.delete(column);
  return { ...masking, hidden, coarse };
}

/** What two viewers are both shown. */
export function bothMaskings(one: Masking, other: Masking): Masking {
  const hidden = new Set([...one.hidden, ...other.hidden]);
  const coarse = new Map(one.coarse);
  for (const [column, by] of other.coarse) {
    const known = coarse.get(column);
    if (known && !isSameCoarsening(known, by)) hidden.add(column);
    coarse.set(column, by);
  }
  const names = new Set(one.words.map(({ name }) => name));
  return completed({
    hidden,
    coarse,
    minRows: Math.max(one.minRows, other.minRows),
    ...(one.plainMeasures || other.plainMeasures ? { plainMeasures: true } : {}),
    timeZone: one.timeZone,
    words: [...one.words, ...other.words.filter(({ name }) => !names.has(name))],
  });
}

/** The dataset as its viewer knows it: without what is hidden. */
export function maskedShape(dataset: DatasetShape, masking: Masking): DatasetShape {
  if (masking.hidden.size === 0) return dataset;
  return { ...dataset, columns: dataset.columns.filter((column) => !masking.hidden.has(column.name)) };
}

const periods: readonly string[] = ['day', 'month', 'quarter', 'year'];

/**
 * Checks a mask before it is saved.
 *
 * @throws {Refusal} `FILTER_UNKNOWN_COLUMN`, `INPUT_INVALID` where the coarsening does not fit the column's type
 */
export function checkMask(mask: Mask, dataset: DatasetShape): void {
  const { effect } = mask;
  if (effect.kind === 'small groups') return;
  const find = (name: string, pointer: string): DatasetColumn => {
    const column = dataset.columns.find((one) => one.name === name);
    if (column) return column;
    throw new Refusal('FILTER_UNKNOWN_COLUMN', `Dataset “${dataset.name}” has no column “${name}”.`, {
      pointer,
      word: name,
      ...suggest(
        name,
        dataset.columns.map((one) => one.name),
      ),
    });
  };
  const column = find(effect.column, '/effect/column');
  if (effect.kind === 'hide') return;
  const { by } = effect;
  const type = valueTypeOf(column.type);
  const wrong = (hint: string) =>
    new Refusal('INPUT_INVALID', `Column “${column.name}” has type ${type} and cannot be reduced like this.`, {
      pointer: '/effect/by',
      word: by.to,
      hint,
    });
  if (by.to === 'column') {
    const other = find(by.column, '/effect/by/column');
    if (other.name === column.name) throw wrong('Select another column.');
    if (valueTypeOf(other.type) !== type)
      throw wrong(`Column “${other.name}” has another type: select a column of type ${type}.`);
  } else if (by.to === 'band') {
    if (type !== 'number') throw wrong('Steps need numbers.');
  } else if (periods.includes(by.to) && type !== 'date' && type !== 'instant')
    throw wrong('Periods need dates or timestamps.');
}
