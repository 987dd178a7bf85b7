import {
  decideAccess,
  effectiveFilterOf,
  masksAny,
  type EffectiveFilter,
  type LimitPart,
  type PersonViewer,
  type Viewing,
} from '@underbell/core/access';
import {
  boundCondition,
  boundReading,
  conditionsOf,
  decideRoad,
  keysOf,
  looksAtRecipient,
  readPeriod,
  recipientColumns,
  tuplesOf,
  type Bound,
  type BurstDefinition,
  type Cut,
  type Keys,
  type Period,
  type Road,
} from '@underbell/core/burst';
import { valueTypeOf, type DatasetColumn, type DatasetShape, type Value } from '@underbell/core/dataset';
import { allOf, checkFilter, columnIn, columnsOf, readFilter, type TypedNode } from '@underbell/core/filter';
import { Refusal, suggest } from '@underbell/core/refusal';
import {
  columnHidden,
  datasetNameOf,
  findPage,
  readParameter,
  readParameters,
  type Figure,
  type Parameter,
  type ParameterValue,
  type ReportDefinition,
} from '@underbell/core/report';
import { findPerson, limitsOn, listPeople } from '../access/index.ts';
import { readableRevision, type Revision } from '../dataset/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { parameterWords, revisionsOf } from '../view/index.ts';

/** A burst with everything it reads from, settled for one run. */
export interface PreparedBurst {
  readonly definition: BurstDefinition;
  readonly period: Period;
  readonly editionNumber: number;
  /** As its sender may see it: the outer limit of everything that leaves. */
  readonly viewing: Viewing;
  /** What every parameter of the report is set to, and by what. */
  readonly settings: readonly ParameterSetting[];
  /** The parameters that cut the copies apart, with the list columns that fill them. */
  readonly bound: readonly Bound[];
  /** How its copies are read, and why so. */
  readonly road: Road;
  readonly revisions: ReadonlyMap<string, Revision>;
  /** The dataset whose rows a copy holds and whose rows are counted. */
  readonly rowRevision: Revision;
  /** Its viewing is that of one copy, with what that is cut by. */
  readonly isCutAlready?: boolean;
  /** People by address, where copies are made as they may see them. */
  readonly people: ReadonlyMap<string, PersonViewer>;
}

/** What a run stays bound to, whatever is published or loaded meanwhile. */
export interface Binding {
  readonly editionNumber: number;
  readonly revisions: Readonly<Record<string, number>>;
}

function findParameter(report: ReportDefinition, name: string, pointer: string): Parameter {
  const found = report.parameters?.find((one) => one.name === name);
  if (found) return found;
  throw new Refusal('BURST_INVALID', `the report \`${report.name}\` has no parameter \`${name}\``, {
    pointer,
    word: name,
    ...suggest(
      name,
      (report.parameters ?? []).map((one) => one.name),
    ),
  });
}

/**
 * Settles a burst for a period: edition, revisions, sender's limits.
 *
 * @param options - `asOf`: what `today` and `last week` count from, also when a run goes on days later or its failed copies
 *   are made once more; milliseconds since 1970-01-01T00:00:00Z, now when left out
 */
export async function prepareBurst(
  app: App,
  sender: PersonViewer,
  definition: BurstDefinition,
  periodText: string | undefined,
  { binding, asOf }: { readonly binding?: Binding; readonly asOf?: number } = {},
): Promise<PreparedBurst> {
  const moment = momentOf(app, asOf);
  const { locale, timeZone } = app.settings;
  const period = readPeriod(definition, periodText, { locale, timeZone, at: moment.now });
  const edition = await findEdition(app, definition.report, binding?.editionNumber);
  const report = edition.definition;
  const page = findPage(report, definition.page);
  const bound = Object.entries(definition.bind ?? {}).map(([name, listColumn]) => ({
    parameter: findParameter(report, name, `/bind/${name}`),
    listColumn,
  }));
  const fixed = fixedValues(report, definition, period, moment.today, locale);
  const rowsName = datasetNameOf(report, definition.rows?.dataset);
  if (rowsName === undefined || report.datasets[rowsName] === undefined) {
    throw new Refusal('BURST_INVALID', 'say which dataset of the report the rows come from', {
      pointer: '/rows/dataset',
      ...suggest(rowsName ?? '', Object.keys(report.datasets)),
    });
  }
  const rowRevision = await readableRevision(app, rowsName, binding?.revisions[rowsName]);
  const revisions = new Map([
    ...(await revisionsOf(app, report, page, binding?.revisions)),
    [rowsName, rowRevision] as const,
  ]);
  const writer = edition.writerId === null ? undefined : await findPerson(app, { id: edition.writerId });
  const viewing: Viewing = {
    report,
    page,
    viewer: sender,
    writers: { report: writer ?? null },
    ...(await limitsOn(app, [...revisions.keys()])),
    place: 'burst',
    moment,
    chosen: [],
    choices: [],
    fixed: fixed.map(({ from: _, ...one }) => one),
  };
  const parameters = bound.map((one) => one.parameter);
  return {
    definition,
    period,
    settings: settingsOf(report, bound, fixed),
    editionNumber: edition.number,
    viewing,
    bound,
    road: decideRoad(definition, report, page, parameters),
    revisions,
    rowRevision,
    people: await peopleFor(app, definition),
  };
}

async function peopleFor(app: App, definition: BurstDefinition): Promise<Map<string, PersonViewer>> {
  if (definition.asSeenBy !== 'recipient') return new Map();
  return new Map((await listPeople(app)).map((one) => [one.email.toLowerCase(), one]));
}

type FixedValue = Viewing['fixed'][number] & { readonly from: 'period' | 'burst' | 'default' };

/**
 * What is the same in every copy: the period, what the burst sets, and the report's own defaults for all that nothing sets.
 *
 * @throws {Refusal} `PARAMETER_MISSING`, `VALUE_INVALID`, `BURST_INVALID`
 */
function fixedValues(
  report: ReportDefinition,
  { name: by, period: counted, parameters = {}, bind = {} }: BurstDefinition,
  period: Period,
  today: string,
  locale: string,
): FixedValue[] {
  const fix = (value: ParameterValue, from: FixedValue['from'], words = parameterWords(value, locale)): FixedValue => {
    const { label, name } = value.parameter;
    return { ...value, origin: 'burst', by, from, words: `${(label ?? name).toLowerCase()} is ${words}` };
  };
  const found: FixedValue[] = [];
  if (counted?.parameter !== undefined && period.value !== undefined) {
    const parameter = findParameter(report, counted.parameter, '/period/parameter');
    const text = parameter.period ? period.name : period.value;
    found.push(fix(readParameter(parameter, [text], period.value), 'period', period.words));
  }
  for (const [name, texts] of Object.entries(parameters)) {
    const parameter = findParameter(report, name, `/parameters/${name}`);
    found.push(fix(readParameter(parameter, typeof texts === 'string' ? [texts] : texts, today), 'burst'));
  }
  const isSet = (name: string) => Object.hasOwn(bind, name) || found.some((one) => one.parameter.name === name);
  const open = { ...report, parameters: (report.parameters ?? []).filter((one) => !isSet(one.name)) };
  return [...found, ...readParameters(open, {}, { today }).map((one) => fix(one, 'default'))];
}

/** What a parameter of the report is in the copies, and by what. */
export interface ParameterSetting {
  readonly parameter: string;
  readonly label: string;
  /** The list column it comes from, or its value in words; nothing where it filters nothing. */
  readonly value?: string;
  readonly from: 'list' | FixedValue['from'] | 'nothing';
}

function settingsOf(
  report: ReportDefinition,
  bound: readonly Bound[],
  fixed: readonly FixedValue[],
): ParameterSetting[] {
  return (report.parameters ?? []).map(({ name, label = name }) => {
    const about = { parameter: name, label };
    const listed = bound.find((one) => one.parameter.name === name);
    if (listed) return { ...about, value: listed.listColumn, from: 'list' };
    const set = fixed.find((one) => one.parameter.name === name);
    if (!set) return { ...about, from: 'nothing' };
    return { ...about, value: set.words!.slice(set.words!.indexOf(' is ') + 4), from: set.from };
  });
}

/** The columns of the row copies, in order; those of one copy, where recipients may see different ones. */
export function copyColumns(burst: PreparedBurst, cut?: Cut): DatasetColumn[] {
  const { definition, rowRevision } = burst;
  const { shape } = rowRevision;
  const { columns } = (cut && burst.road.kind !== 'one pass' ? filterFor(burst, shape, cut) : outerFilter(burst, shape))
    .visible;
  const wanted = definition.rows?.columns;
  if (!wanted) return [...columns];
  return wanted.map((name) => {
    const column = columns.find((one) => one.name === name);
    if (column) return column;
    throw new Refusal('BURST_INVALID', `\`${rowRevision.shape.name}\` has no column \`${name}\``, {
      pointer: '/rows/columns',
      word: name,
      ...suggest(
        name,
        columns.map((one) => one.name),
      ),
    });
  });
}

const common = new WeakMap<PreparedBurst, Map<string, EffectiveFilter>>();

/** What everything sent is limited by, before it is cut. Asked for every copy, so it is worked out once. */
export function commonFilter(burst: PreparedBurst, dataset: DatasetShape, figure?: Figure): EffectiveFilter {
  const known = common.get(burst) ?? new Map<string, EffectiveFilter>();
  common.set(burst, known);
  const key = JSON.stringify([dataset.name, figure?.name]);
  const found = known.get(key) ?? withCondition(burst, effectiveFilterOf(burst.viewing, dataset, figure), dataset);
  known.set(key, found);
  return found;
}

/** The burst's own condition, where it is the same for all. */
function withCondition(burst: PreparedBurst, filter: EffectiveFilter, dataset: DatasetShape): EffectiveFilter {
  const text = burst.definition.where?.[dataset.name];
  if (text === undefined || looksAt(text)) return filter;
  return filter.narrow(
    partOf(burst, filter, checkFilter(readFilter(text), { dataset, text, ...burst.viewing.moment })),
  );
}

/** What the sender may see in the period, whatever the report filters: some of its filters may need a copy's values. */
export function outerFilter(burst: PreparedBurst, dataset: DatasetShape): EffectiveFilter {
  const { viewing } = burst;
  const { where: _report, ...report } = viewing.report;
  const { where: _page, ...page } = viewing.page;
  return effectiveFilterOf({ ...viewing, report, page }, dataset);
}

const looksAt = (text: string) => recipientColumns(text).length > 0;

/** Whoever saves a burst is its sender; what is masked to the sender is masked to the burst's conditions. */
function partOf(burst: PreparedBurst, filter: EffectiveFilter, node: TypedNode): LimitPart {
  const isOutside = masksAny(
    filter.masking,
    columnsOf(node).map((one) => one.name),
  );
  return { origin: 'burst', name: burst.definition.name, isFixed: true, node, ...(isOutside ? { isOutside } : {}) };
}

/** What the values of one copy leave of a dataset: by bound parameters, then by the burst's own condition. */
function cutConditions(burst: PreparedBurst, dataset: DatasetShape, cut: Cut): TypedNode[] {
  const { viewing, bound, definition } = burst;
  const nodes = bound.flatMap((one) => boundCondition(viewing.report, cut, one, dataset)?.node ?? []);
  const text = definition.where?.[dataset.name];
  if (text === undefined || !looksAt(text)) return nodes;
  const valuesOf = (source: string, name: string) => (source === 'recipient' ? cut.fields[name] : undefined);
  return [...nodes, checkFilter(readFilter(text), { dataset, text, ...viewing.moment, valuesOf })];
}

/** The viewing of one copy, where filters of the report look at what it is cut by. */
export function viewingOf(burst: PreparedBurst, cut: Cut): Viewing {
  const { viewing, bound, definition } = burst;
  if (burst.isCutAlready) return viewing;
  const today = burst.period.value ?? viewing.moment.today;
  const fixed = bound.map((one) => ({
    ...boundReading(cut, one, today),
    origin: 'burst' as const,
    by: definition.name,
  }));
  return { ...viewing, fixed: [...viewing.fixed, ...fixed] };
}

/**
 * The whole filter of one copy.
 *
 * @throws {Refusal} `COLUMN_HIDDEN` where the sender is not shown what copies are cut by; `VALUE_INVALID`
 */
export function filterFor(burst: PreparedBurst, dataset: DatasetShape, cut: Cut, figure?: Figure): EffectiveFilter {
  if (burst.road.kind === 'one pass') {
    const filter = commonFilter(burst, dataset, figure);
    const conditions = cutConditions(burst, dataset, cut);
    checkShown(burst, dataset, keysOf(conditions.flatMap(conditionsOf).filter(looksAtRecipient)));
    return filter.narrow(...conditions.map((node) => partOf(burst, filter, node)));
  }
  const own = { ...burst, viewing: viewingOf(burst, cut) };
  const text = burst.definition.where?.[dataset.name];
  const conditions = text === undefined || !looksAt(text) ? [] : cutConditions({ ...burst, bound: [] }, dataset, cut);
  for (const { column } of burst.bound.flatMap((one) => boundCondition(burst.viewing.report, cut, one, dataset) ?? []))
    refuseHidden(burst, dataset, column);
  const shared = commonFilter(own, dataset, figure);
  const filter = shared.narrow(...conditions.map((node) => partOf(burst, shared, node)));
  return cut.seenBy === undefined ? filter : filter.also(asSeenBy(burst, dataset, cut.seenBy));
}

/** What a recipient may see of a dataset themselves. @throws {Refusal} `NOT_FOUND` */
function asSeenBy({ viewing, people }: PreparedBurst, dataset: DatasetShape, address: string) {
  const viewer = people.get(address);
  if (!viewer) throw new Refusal('NOT_FOUND', `nobody here has the address ${address}`, { word: address });
  const { rules, masks, moment } = viewing;
  return decideAccess({ dataset, rules, masks, viewer, moment, place: 'burst' });
}

// Copies are cut by exact values; a sender who is not shown them cannot cut.
function refuseHidden(burst: PreparedBurst, dataset: DatasetShape, column: DatasetColumn): void {
  const { masking } = outerFilter(burst, dataset);
  if (masking.hidden.has(column.name) || masking.coarse.has(column.name)) throw columnHidden(dataset.name, column.name);
}

function checkShown(burst: PreparedBurst, dataset: DatasetShape, keys: Keys): void {
  for (const { column } of keys.values()) refuseHidden(burst, dataset, column);
}

/** One scan of a dataset that is cut into copies. */
export interface Scan {
  /** Everything that any of the copies holds. */
  readonly filter: EffectiveFilter;
  /** The columns whose values tell the copies apart; none for a dataset that all see whole. */
  readonly columns: readonly DatasetColumn[];
  /** Of each cut, its combinations of their values. */
  readonly tuples: readonly Value[][][];
}

/** The scan that all cuts come from. Only where the burst's road is one pass. @throws {Refusal} `COLUMN_HIDDEN`, `VALUE_INVALID` */
export function scanFor(burst: PreparedBurst, dataset: DatasetShape, cuts: readonly Cut[], figure?: Figure): Scan {
  const conditions = cuts.map((cut) => cutConditions(burst, dataset, cut).flatMap(conditionsOf));
  const keys = conditions.map((nodes) => keysOf(nodes.filter(looksAtRecipient)));
  const columns = [...(keys[0]?.values() ?? [])].map((one) => one.column);
  if (keys[0]) checkShown(burst, dataset, keys[0]);
  const same = (conditions[0] ?? []).filter((node) => !looksAtRecipient(node));
  const all = columns.map((column) => {
    const values = new Set(keys.flatMap((one) => one.get(column.name)?.values ?? []));
    return columnIn(column, valueTypeOf(column.type), [...values]);
  });
  const shared = commonFilter(burst, dataset, figure);
  return {
    filter: shared.narrow(partOf(burst, shared, allOf([...same, ...all]))),
    columns,
    tuples: keys.map((one) => tuplesOf(one, columns)),
  };
}
