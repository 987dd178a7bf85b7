import type { DatasetShape } from '../dataset/index.ts';
import {
  allOf,
  checkFilter,
  checkReaderFilter,
  columnIn,
  columnsOf,
  readFilter,
  type FilterScope,
  type TypedNode,
} from '../filter/index.ts';
import { formatValue, valueTypeOf, type DatasetColumn, type DateStep } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';
import {
  columnHidden,
  drilledFigure,
  drillLevels,
  findFigure,
  parameterColumn,
  spanBefore,
  spanWords,
  type Figure,
  type Page,
  type DateSpan,
  type ParameterValue,
  type ReportDefinition,
} from '../report/index.ts';
import { EffectiveFilter } from './effectiveFilter.ts';
import type { FilterSource, FilterPart } from './filterOrder.ts';
import { isOutside } from './filterOrder.ts';
import { selectionColumn, selectionText, sameColumn } from './selectedValues.ts';
import { decideMasks, isMasked, masksAny, type Mask, type MaskPlace, type Masking } from './masks.ts';
import { decideAccess, splitByGuard, type Moment, type RowRule } from './rowRules.ts';
import type { PersonViewer, Viewer } from './viewer.ts';

/** A mark that the reader picked in a figure: bars, points, cells. The other figures respond. */
export interface Choice {
  readonly figure: string;
  /** Raw texts of the figure's grouping column. */
  readonly values: readonly string[];
}

/** What conditions are written in. */
export type Writing = 'report' | 'placement';

/** Everything that one viewing of a page is limited by. */
export interface Viewing {
  readonly report: ReportDefinition;
  readonly page: Page;
  readonly viewer: Viewer;
  readonly rules: readonly RowRule[];
  readonly masks: readonly Mask[];
  /** The kind of place it is shown in. */
  readonly place?: MaskPlace;
  /** Fields of the record beside it, as the reader's address says; a token's own stand in its viewer. */
  readonly record?: Readonly<Record<string, string>>;
  readonly moment: Moment;
  /** Values fixed by a token, a placement or a burst; the reader cannot change them. */
  readonly fixed: readonly (ParameterValue & {
    readonly origin: FilterSource;
    readonly by: string;
    readonly words?: string;
  })[];
  /** The reader's own parameter values. */
  readonly chosen: readonly ParameterValue[];
  /** Parameters whose defaults the reader took off. */
  readonly without?: readonly string[];
  /**
   * Who wrote the report's and the placement's conditions; null for somebody who is not known any more. What is masked to
   * them, and to the viewer, is masked to their conditions.
   */
  readonly writers?: Readonly<Partial<Record<Writing, PersonViewer | null>>>;
  /** A placement's own filter, CQL2 text by dataset. */
  readonly placement?: { readonly name: string; readonly where: Readonly<Record<string, string>> };
  /** The filter of a placement around a board, whose own is `placement` then, and who wrote it. */
  readonly around?: {
    readonly name: string;
    readonly where: Readonly<Record<string, string>>;
    readonly writer?: PersonViewer | null;
  };
  /** The reader's own filter, CQL2 text; applies to every dataset that has its columns. */
  readonly where?: string;
  readonly choices: readonly Choice[];
  /** The dataset of a figure; the one at hand when left out. */
  readonly shapeOf?: (figure: Figure) => DatasetShape | undefined;
  /** Marks that the reader opened, figure by figure, one value a level. */
  readonly drills?: readonly Choice[];
}

/** What `param('month')` stands for: the values in the form that filters read; a period by its two ends. */
function parameterTexts({ parameter, values, span }: ParameterValue, name: string): readonly string[] {
  if (span && name.endsWith('.from')) return [span.from];
  if (span && name.endsWith('.to')) return [span.to];
  return values.map((value) => formatValue(value, valueTypeOf(parameter.type)));
}

/** @param onChosen - called when a value that its asker chose flows into the expression: a parameter, a record, a context */
function scopeOf(viewing: Viewing, dataset: DatasetShape, text: string, onChosen: () => void): FilterScope {
  const values = [...viewing.fixed, ...viewing.chosen];
  return {
    dataset,
    text,
    ...viewing.moment,
    valuesOf: (source, name) => {
      if (source === 'record') {
        const field = recordField(viewing, name);
        if (field !== undefined) onChosen();
        return field;
      }
      if (source === 'screen') return screenValue(viewing, name);
      if (source !== 'param') return undefined;
      const held = values.find((one) => one.parameter.name === name.replace(/\.(from|to)$/, ''));
      if (held !== undefined && isChosenByAsker(viewing, held)) onChosen();
      return held && parameterTexts(held, name);
    },
  };
}

/** Whether somebody who looks, or who asked for a token, gave a parameter its value; its report's default is the author's. */
const isChosenByAsker = (viewing: Viewing, value: ParameterValue & { readonly origin?: FilterSource }): boolean =>
  value.origin === 'token' || (value.isDefault !== true && (viewing.chosen as readonly unknown[]).includes(value));

const writingOf: Partial<Record<FilterSource, Writing>> = {
  report: 'report',
  page: 'report',
  figure: 'report',
  placement: 'placement',
};

/** Whether whoever wrote a condition is shown less than the exact values that it looks at. */
function isWriterMasked(
  viewing: Viewing,
  filter: EffectiveFilter,
  { origin, node }: FilterPart,
  behind: PersonViewer | null | undefined,
): boolean {
  const { masking, dataset } = filter;
  if (!isMasked(masking)) return false;
  const names = columnsOf(node).map((one) => one.name);
  // What a burst fixes is its sender's, who is the viewer; what a token fixes anybody may have asked for.
  if (origin === 'burst') return masksAny(masking, names) || masking.minRows > 1;
  const writing = writingOf[origin];
  if (writing === undefined) return false;
  const writer = behind === undefined ? viewing.writers?.[writing] : behind;
  if (writer === undefined) return false;
  const own = writer === null ? masking : masksOn(viewing, dataset, writer);
  const both = names.filter((name) => masksAny(masking, [name]) && masksAny(own, [name]));
  return both.length > 0 || (masking.minRows > 1 && own.minRows > 1);
}

function masksOn({ masks, moment }: Viewing, dataset: DatasetShape, person: PersonViewer): Masking {
  return decideMasks(masks, dataset, person, { timeZone: moment.timeZone ?? 'UTC' });
}

/**
 * A fixed limit whose values its asker chose. What fixes a guarding column looks at exact values, as row rules do; the rest
 * looks at masked ones. Where only groups are shown, nothing that somebody chooses by looking is fixed.
 */
function chosenParts(
  viewing: Viewing,
  filter: EffectiveFilter,
  part: FilterPart,
  behind?: PersonViewer | null,
): FilterPart[] {
  const { fixing, rest } = splitByGuard(part.node, viewing.rules, filter.dataset);
  const mayFix = viewing.viewer.kind === 'client' || filter.masking.minRows <= 1;
  const made = (nodes: readonly TypedNode[], isOutside: boolean): FilterPart[] =>
    nodes.length === 0 ? [] : [fixedPart(viewing, filter, { ...part, node: allOf(nodes) }, isOutside, behind)];
  return mayFix ? [...made(fixing, false), ...made(rest, true)] : made([part.node], true);
}

/** A fixed limit, which looks at masked values where whoever is behind it may see no others. */
function fixedPart(
  viewing: Viewing,
  filter: EffectiveFilter,
  part: FilterPart,
  flowsFromReader = false,
  behind?: PersonViewer | null,
): FilterPart {
  const isOutside = flowsFromReader || isWriterMasked(viewing, filter, part, behind);
  if (!isOutside) return part;
  const { visible, dataset } = filter;
  const hidden = columnsOf(part.node).find((one) => !visible.columns.some(({ name }) => name === one.name));
  if (hidden) throw columnHidden(dataset.name, hidden.name);
  return { ...part, isOutside };
}

/** A field of the record that the host shows beside the page. */
function recordField({ viewer, record }: Viewing, name: string): readonly string[] | undefined {
  const context = viewer.kind === 'client' ? viewer.context : record;
  const value = context !== undefined && Object.hasOwn(context, name) ? context[name] : undefined;
  return value === undefined ? undefined : [value];
}

/** What the screen that shows the page says of itself. */
function screenValue({ viewer }: Viewing, name: string): readonly string[] | undefined {
  const values = viewer.kind === 'client' ? viewer.screen?.values : undefined;
  return values !== undefined && Object.hasOwn(values, name) ? [values[name]!] : undefined;
}

/**
 * @param filter - what the dataset is limited by already; readers' own words may name what they are shown alone
 * @param behind - who wrote it, where that is not who wrote the others of its origin
 */
function textPart(
  viewing: Viewing,
  filter: EffectiveFilter,
  origin: FilterSource,
  name: string,
  text: string | undefined,
  behind?: PersonViewer | null,
): FilterPart[] {
  if (text === undefined) return [];
  let isChosen = false;
  const isReader = origin === 'reader';
  const scope = scopeOf(viewing, isReader ? filter.visible : filter.dataset, text, () => (isChosen = true));
  const node = (isReader ? checkReaderFilter : checkFilter)(readFilter(text), scope);
  const part: FilterPart = { origin, name, node, isFixed: !isReader };
  if (isReader) return [part];
  return isChosen ? chosenParts(viewing, filter, part, behind) : [fixedPart(viewing, filter, part, false, behind)];
}

function parameterPart(
  viewing: Viewing,
  filter: EffectiveFilter,
  value: Viewing['fixed'][number] | ParameterValue,
  origin: FilterSource,
  name: string,
): FilterPart[] {
  const { dataset, visible } = filter;
  const column = parameterColumn(viewing.report, value.parameter, dataset);
  if (column === undefined) return [];
  const isFixed = origin !== 'reader';
  if (!isFixed && !visible.columns.includes(column)) throw columnHidden(dataset.name, column.name);
  const words = 'words' in value && value.words !== undefined ? { words: value.words } : {};
  const node = value.span ? within(column, value.span) : columnIn(column, valueTypeOf(column.type), value.values);
  const part: FilterPart = { origin, name, isFixed, ...words, node };
  // A report's default is its author's condition, though a reader may take it off.
  if (value.isDefault)
    return [{ isOutside: false, ...fixedPart(viewing, filter, { ...part, origin: 'report' }), origin }];
  if (!isFixed) return [part];
  return isChosenByAsker(viewing, value) ? chosenParts(viewing, filter, part) : [fixedPart(viewing, filter, part)];
}

/** A date within a stretch of days. */
function within(column: DatasetColumn, span: DateSpan): TypedNode {
  const literal = (value: string): TypedNode => ({ kind: 'literal', type: 'date', value });
  const left: TypedNode = { kind: 'column', type: 'date', column };
  if (span.from === span.to) return columnIn(column, 'date', [span.from]);
  return { kind: 'operation', type: 'boolean', op: 'between', args: [left, literal(span.from), literal(span.to)] };
}

function marksNode(
  dataset: DatasetShape,
  column: DatasetColumn,
  step: DateStep | undefined,
  raw: readonly string[],
): TypedNode {
  const text = selectionText(column, step, raw);
  return checkFilter(readFilter(text), { dataset, text });
}

/**
 * The reader's own limits as one CQL2 text, to be carried to another page or to the report in full.
 *
 * @returns undefined when the reader limits nothing but parameters
 */
export function ownFilterText(
  viewing: Viewing,
  dataset: (figure: Figure) => DatasetShape | undefined,
): string | undefined {
  const marks = viewing.choices.flatMap((choice) => {
    const source = figureInView(viewing, findFigure(viewing.page, choice.figure));
    const mark = selectionColumn(source);
    const column = mark && dataset(source)?.columns.find((one) => one.name === mark.by);
    return mark && column ? [selectionText(column, mark.step, choice.values)] : [];
  });
  const parts = [...(viewing.where === undefined ? [] : [viewing.where]), ...marks];
  return parts.length === 0
    ? undefined
    : parts.length === 1
      ? parts[0]
      : parts.map((part) => `(${part})`).join(' AND ');
}

/** The figure as the reader drilled it. */
export function figureInView<T extends Figure>(viewing: Viewing, figure: T): T {
  const drill = viewing.drills?.find((one) => one.figure === figure.name);
  return drill ? drilledFigure(figure, drill.values.length) : figure;
}

function choicePart(
  viewing: Viewing,
  { dataset, visible }: EffectiveFilter,
  choice: Choice,
  figure: Figure | undefined,
): FilterPart[] {
  if (figure?.name === choice.figure) return [];
  const source = figureInView(viewing, findFigure(viewing.page, choice.figure));
  const mark = selectionColumn(source);
  if (mark === undefined)
    throw new Refusal('FIGURE_UNKNOWN', `Nothing can be selected in figure “${choice.figure}”.`, {
      word: choice.figure,
    });
  const column = sameColumn(viewing.shapeOf?.(source) ?? dataset, mark.by, dataset);
  if (column === undefined) return [];
  if (!visible.columns.includes(column)) throw columnHidden(dataset.name, column.name);
  return [
    {
      origin: 'reader',
      name: source.title,
      isFixed: false,
      node: marksNode(dataset, column, mark.step, choice.values),
    },
  ];
}

/** What a drilled figure was opened by: it alone is limited. */
function drillParts(viewing: Viewing, { dataset, visible }: EffectiveFilter, figure: Figure | undefined): FilterPart[] {
  const drill = figure && viewing.drills?.find((one) => one.figure === figure.name);
  if (!figure || !drill) return [];
  const levels = drillLevels(figure);
  return drill.values.map((raw, i) => {
    drilledFigure(figure, i + 1);
    const column = dataset.columns.find((one) => one.name === levels[i]);
    if (!column || !visible.columns.includes(column)) throw columnHidden(dataset.name, levels[i]!);
    return { origin: 'reader', name: figure.title, isFixed: false, node: marksNode(dataset, column, undefined, [raw]) };
  });
}

/**
 * The same viewing an earlier period ago, for a figure that is compared with it. A period moves that the reader chose or
 * could choose, or that a burst is about; one that a token or a placement fixes stays.
 *
 * @returns words that say why not, where no such period limits the dataset
 */
export function viewingBefore(
  viewing: Viewing,
  dataset: DatasetShape,
  how: 'period before' | 'year before',
  locale: string,
): { viewing: Viewing; words: string } | string {
  const { chosen, fixed } = viewing;
  const limits = (one: ParameterValue) => one.span && parameterColumn(viewing.report, one.parameter, dataset);
  const moved = chosen.find(limits) ?? fixed.find((one) => one.origin === 'burst' && limits(one));
  if (!moved?.span)
    return fixed.some(limits) ? 'not compared: the period is fixed' : 'not compared: no period is selected';
  const span = spanBefore(moved.span, how);
  const move = <T extends ParameterValue>(one: T): T => {
    if ((one as ParameterValue) !== moved) return one;
    const { words: _, ...rest } = one as T & { words?: string };
    return { ...rest, span, values: [span.from, span.to], texts: [`${span.from}/${span.to}`] } as unknown as T;
  };
  const earlier = { ...viewing, chosen: chosen.map(move), fixed: fixed.map(move) };
  return { viewing: earlier, words: spanWords(span, locale) };
}

/** Measures of an author to whom only groups are shown may single out rows; the filter says so to those who compute them. */
function trusting(viewing: Viewing, filter: EffectiveFilter): EffectiveFilter {
  const writer = viewing.writers?.report;
  if (filter.masking.minRows <= 1 || writer === undefined) return filter;
  const isMaskedWriter = writer === null || masksOn(viewing, filter.dataset, writer).minRows > 1;
  return isMaskedWriter ? filter.distrustingMeasures() : filter;
}

/** Taking a default off is a choice as well: where only groups are shown, the difference would tell of single rows. */
function removedDefaults({ report, without = [] }: Viewing, { dataset, masking }: EffectiveFilter): FilterPart[] {
  if (masking.minRows <= 1) return [];
  const removed = (report.parameters ?? []).filter(
    (one) => without.includes(one.name) && one.default !== undefined && parameterColumn(report, one, dataset),
  );
  return removed.map(({ name, label = name }) => ({
    origin: 'reader',
    name: label,
    isFixed: false,
    words: `every ${label.toLowerCase()}`,
    node: allOf([]),
  }));
}

/**
 * The effective filter of one dataset for one viewing: row rules AND token AND placement AND report, page and figure
 * AND the reader's own choice. Each part keeps its origin.
 *
 * @param figure - left out for the page as a whole
 * @throws {Refusal} whatever is wrong with a filter or value; nothing is ever ignored
 */
export function effectiveFilterOf(viewing: Viewing, dataset: DatasetShape, figure?: Figure): EffectiveFilter {
  const { report, page, placement, around } = viewing;
  const { rules, masks, viewer, moment, place } = viewing;
  const decide = (beside: readonly TypedNode[]) =>
    EffectiveFilter.start(decideAccess({ dataset, rules, masks, viewer, moment, ...(place ? { place } : {}), beside }));
  const own = (one: typeof placement) =>
    one && Object.hasOwn(one.where, dataset.name) ? one.where[dataset.name] : undefined;
  // Which masks there are does not hang on what stands beside a token.
  const masking = decideMasks(masks, dataset, viewer, {
    timeZone: moment.timeZone ?? 'UTC',
    ...(place ? { place } : {}),
  });
  const bare = EffectiveFilter.start({ dataset, parts: [], masking });
  const placed = [
    ...textPart(viewing, bare, 'placement', around?.name ?? '', own(around), around?.writer),
    ...textPart(viewing, bare, 'placement', placement?.name ?? '', own(placement)),
  ];
  const isOnlyPlace =
    viewer.kind === 'client' && viewer.placement !== undefined && viewer.placement === (around ?? placement)?.name;
  const start = trusting(
    viewing,
    decide(isOnlyPlace ? placed.filter((part) => !isOutside(part)).map((part) => part.node) : []),
  );
  const parts = [
    ...placed,
    ...removedDefaults(viewing, start),
    ...viewing.fixed.flatMap((one) => parameterPart(viewing, start, one, one.origin, one.by)),
    ...textPart(viewing, start, 'report', report.name, report.where),
    ...textPart(viewing, start, 'page', page.name, page.where),
    ...(figure && 'where' in figure ? textPart(viewing, start, 'figure', figure.name, figure.where) : []),
    ...viewing.chosen.flatMap((one) =>
      parameterPart(viewing, start, one, 'reader', one.parameter.label ?? one.parameter.name),
    ),
    ...textPart(viewing, start, 'reader', 'own filter', viewing.where),
    ...viewing.choices.flatMap((choice) => choicePart(viewing, start, choice, figure)),
    ...drillParts(viewing, start, figure),
  ];
  return start.narrow(...parts);
}
