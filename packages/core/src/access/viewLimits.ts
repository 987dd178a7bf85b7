import type { DatasetShape } from '../dataset/index.ts';
import { checkFilter, columnIn, readFilter, type FilterScope } from '../filter/index.ts';
import { valueTypeOf, parseValue } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import {
  columnHidden,
  findFigure,
  parameterColumn,
  type Figure,
  type Page,
  type ParameterValue,
  type ReportDefinition,
} from '../report/index.ts';
import { EffectiveFilter, type LimitOrigin, type LimitPart } from './effectiveFilter.ts';
import type { Mask, MaskPlace } from './masks.ts';
import { decideAccess, type Moment, type RecordRule } from './recordRules.ts';
import type { Viewer } from './viewer.ts';

/** A mark that the reader picked in a figure: bars, points, cells. The other figures respond. */
export interface Choice {
  readonly figure: string;
  /** Raw texts of the figure's grouping column. */
  readonly values: readonly string[];
}

/** Everything that one viewing of a page is limited by. */
export interface Viewing {
  readonly report: ReportDefinition;
  readonly page: Page;
  readonly viewer: Viewer;
  readonly rules: readonly RecordRule[];
  readonly masks: readonly Mask[];
  /** The kind of place it is shown in. */
  readonly place?: MaskPlace;
  readonly moment: Moment;
  /** Values fixed by a token, a placement or a burst; the reader cannot change them. */
  readonly fixed: readonly (ParameterValue & {
    readonly origin: LimitOrigin;
    readonly by: string;
    readonly words?: string;
  })[];
  /** The reader's own parameter values. */
  readonly chosen: readonly ParameterValue[];
  /** A placement's own filter, CQL2 text by dataset. */
  readonly placement?: { readonly name: string; readonly where: Readonly<Record<string, string>> };
  /** The reader's own filter, CQL2 text; applies to every dataset that has its columns. */
  readonly where?: string;
  readonly choices: readonly Choice[];
}

function scopeOf(viewing: Viewing, dataset: DatasetShape, text: string): FilterScope {
  const values = [...viewing.fixed, ...viewing.chosen];
  return {
    dataset,
    text,
    ...viewing.moment,
    valuesOf: (source, name) => {
      if (source === 'record') return recordField(viewing.viewer, name);
      if (source !== 'param') return undefined;
      return values
        .filter((one) => one.parameter.name === name)
        .map((one) => one.raw)
        .slice(0, 1);
    },
  };
}

/** A field of the record that the host shows beside the page. */
function recordField(viewer: Viewer, name: string): readonly string[] | undefined {
  const context = viewer.kind === 'client' ? viewer.context : undefined;
  const value = context !== undefined && Object.hasOwn(context, name) ? context[name] : undefined;
  return value === undefined ? undefined : [value];
}

function textPart(
  viewing: Viewing,
  dataset: DatasetShape,
  origin: LimitOrigin,
  name: string,
  text: string | undefined,
): LimitPart[] {
  if (text === undefined) return [];
  const node = checkFilter(readFilter(text), scopeOf(viewing, dataset, text));
  return [{ origin, name, node, isFixed: origin !== 'reader' }];
}

function parameterPart(
  viewing: Viewing,
  dataset: DatasetShape,
  value: ParameterValue & { words?: string },
  origin: LimitOrigin,
  name: string,
  visible: DatasetShape,
): LimitPart[] {
  const column = parameterColumn(viewing.report, value.parameter, dataset);
  if (column === undefined) return [];
  const isFixed = origin !== 'reader';
  if (!isFixed && !visible.columns.includes(column)) throw columnHidden(dataset.name, column.name);
  const words = value.words === undefined ? {} : { words: value.words };
  return [{ origin, name, isFixed, ...words, node: columnIn(column, valueTypeOf(column.type), [value.value]) }];
}

function choicePart(
  viewing: Viewing,
  { dataset, visible }: EffectiveFilter,
  choice: Choice,
  figure: Figure | undefined,
): LimitPart[] {
  if (figure?.name === choice.figure) return [];
  const source = findFigure(viewing.page, choice.figure);
  const by =
    source.kind === 'bar' || source.kind === 'line'
      ? source.by
      : source.kind === 'table' && source.measures
        ? source.columns[0]
        : undefined;
  if (by === undefined)
    throw new Refusal('FIGURE_UNKNOWN', `nothing can be picked in the figure \`${choice.figure}\``, {
      word: choice.figure,
    });
  const column = dataset.columns.find((one) => one.name === by);
  if (column === undefined) return [];
  if (!visible.columns.includes(column)) throw columnHidden(dataset.name, by);
  const values = choice.values.map((raw) => parseValue(raw, column.type, `${by}:`));
  return [
    { origin: 'reader', name: source.title, isFixed: false, node: columnIn(column, valueTypeOf(column.type), values) },
  ];
}

/**
 * The effective filter of one dataset for one viewing: record rules AND token AND placement AND report, page and figure
 * AND the reader's own choice. Each part keeps its origin.
 *
 * @param figure - left out for the page as a whole
 * @throws {Refusal} whatever is wrong with a filter or value; nothing is ever ignored
 */
export function effectiveFilterOf(viewing: Viewing, dataset: DatasetShape, figure?: Figure): EffectiveFilter {
  const { report, page, placement } = viewing;
  const { rules, masks, viewer, moment, place } = viewing;
  const own = placement && Object.hasOwn(placement.where, dataset.name) ? placement.where[dataset.name] : undefined;
  const placed = textPart(viewing, dataset, 'placement', placement?.name ?? '', own);
  const isOnlyPlace =
    viewer.kind === 'client' && viewer.placement !== undefined && viewer.placement === placement?.name;
  const start = EffectiveFilter.start(
    decideAccess({
      dataset,
      rules,
      masks,
      viewer,
      moment,
      ...(place ? { place } : {}),
      beside: isOnlyPlace ? placed.map((part) => part.node) : [],
    }),
  );
  const { visible } = start;
  const parts = [
    ...placed,
    ...viewing.fixed.flatMap((one) => parameterPart(viewing, dataset, one, one.origin, one.by, visible)),
    ...textPart(viewing, dataset, 'report', report.name, report.where),
    ...textPart(viewing, dataset, 'page', page.name, page.where),
    ...(figure && figure.kind !== 'text' ? textPart(viewing, dataset, 'figure', figure.name, figure.where) : []),
    ...viewing.chosen.flatMap((one) =>
      parameterPart(viewing, dataset, one, 'reader', one.parameter.label ?? one.parameter.name, visible),
    ),
    // What readers send may name only what they are shown.
    ...textPart(viewing, visible, 'reader', 'own filter', viewing.where),
    ...viewing.choices.flatMap((choice) => choicePart(viewing, start, choice, figure)),
  ];
  return start.narrow(...parts);
}
