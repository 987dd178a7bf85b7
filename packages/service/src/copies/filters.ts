import {
  decideAccess,
  effectiveFilterOf,
  masksAny,
  type EffectiveFilter,
  type FilterPart,
  type Viewing,
} from '@underbell/core/access';
import {
  boundCondition,
  boundReading,
  conditionsOf,
  keysOf,
  looksAtRecipient,
  recipientColumns,
  tuplesOf,
  type Cut,
  type Keys,
} from '@underbell/core/burst';
import { valueTypeOf, type DatasetColumn, type DatasetShape, type Value } from '@underbell/core/dataset';
import { allOf, checkFilter, columnIn, columnsOf, readFilter, type TypedNode } from '@underbell/core/filter';
import { Refusal, suggest } from '@underbell/core/refusal';
import { columnHidden, type Figure } from '@underbell/core/report';
import type { CopyJob } from './job.ts';

/** The columns of the row copies, in order; those of one copy, where recipients may see different ones. */
export function copyColumns(job: CopyJob, cut?: Cut): DatasetColumn[] {
  const { rowRevision, columns: wanted } = job;
  const { shape } = rowRevision;
  const { columns } = (cut && job.strategy.kind !== 'one pass' ? filterFor(job, shape, cut) : outerFilter(job, shape))
    .visible;
  if (!wanted) return [...columns];
  return wanted.map((name) => {
    const column = columns.find((one) => one.name === name);
    if (column) return column;
    throw new Refusal('BURST_INVALID', `Dataset “${rowRevision.shape.name}” has no column “${name}”.`, {
      pointer: '/rows/columns',
      word: name,
      ...suggest(
        name,
        columns.map((one) => one.name),
      ),
    });
  });
}

const common = new WeakMap<CopyJob, Map<string, EffectiveFilter>>();

/** What everything sent is limited by, before it is cut. Asked for every copy, so it is worked out once. */
export function commonFilter(job: CopyJob, dataset: DatasetShape, figure?: Figure): EffectiveFilter {
  const known = common.get(job) ?? new Map<string, EffectiveFilter>();
  common.set(job, known);
  const key = JSON.stringify([dataset.name, figure?.name]);
  const found = known.get(key) ?? withCondition(job, effectiveFilterOf(job.viewing, dataset, figure), dataset);
  known.set(key, found);
  return found;
}

/** The job's own condition, where it is the same for all. */
function withCondition(job: CopyJob, filter: EffectiveFilter, dataset: DatasetShape): EffectiveFilter {
  const text = job.where[dataset.name];
  if (text === undefined || looksAt(text)) return filter;
  return filter.narrow(partOf(job, filter, checkFilter(readFilter(text), { dataset, text, ...job.viewing.moment })));
}

/** What the sender may see in the period, whatever the report filters: some of its filters may need a copy's values. */
export function outerFilter(job: CopyJob, dataset: DatasetShape): EffectiveFilter {
  const { viewing } = job;
  const { where: _report, ...report } = viewing.report;
  const { where: _page, ...page } = viewing.page;
  return effectiveFilterOf({ ...viewing, report, page }, dataset);
}

const looksAt = (text: string) => recipientColumns(text).length > 0;

/** Whoever writes the conditions is the sender; what is masked to the sender is masked to them. */
function partOf(job: CopyJob, filter: EffectiveFilter, node: TypedNode): FilterPart {
  const isOutside =
    filter.masking.minRows > 1 ||
    masksAny(
      filter.masking,
      columnsOf(node).map((one) => one.name),
    );
  return { origin: 'burst', name: job.name, isFixed: true, node, ...(isOutside ? { isOutside } : {}) };
}

/** What the values of one copy leave of a dataset: by bound parameters, then by the job's own condition. */
function cutConditions(job: CopyJob, dataset: DatasetShape, cut: Cut): TypedNode[] {
  const { viewing, bound, where } = job;
  const nodes = bound.flatMap((one) => boundCondition(viewing.report, cut, one, dataset)?.node ?? []);
  const text = where[dataset.name];
  if (text === undefined || !looksAt(text)) return nodes;
  const valuesOf = (source: string, name: string) => (source === 'recipient' ? cut.fields[name] : undefined);
  return [...nodes, checkFilter(readFilter(text), { dataset, text, ...viewing.moment, valuesOf })];
}

/** The viewing of one copy, where filters of the report look at what it is cut by. */
export function viewingOf(job: CopyJob, cut: Cut): Viewing {
  const { viewing, bound, name, today } = job;
  if (job.isCutAlready) return viewing;
  const fixed = bound.map((one) => ({
    ...boundReading(cut, one, today),
    origin: 'burst' as const,
    by: name,
  }));
  return { ...viewing, fixed: [...viewing.fixed, ...fixed] };
}

/**
 * The whole filter of one copy.
 *
 * @throws {Refusal} `COLUMN_HIDDEN` where the sender is not shown what copies are cut by; `VALUE_INVALID`
 */
export function filterFor(job: CopyJob, dataset: DatasetShape, cut: Cut, figure?: Figure): EffectiveFilter {
  if (job.strategy.kind === 'one pass') {
    const filter = commonFilter(job, dataset, figure);
    const conditions = cutConditions(job, dataset, cut);
    checkShown(job, dataset, keysOf(conditions.flatMap(conditionsOf).filter(looksAtRecipient)));
    return filter.narrow(...conditions.map((node) => partOf(job, filter, node)));
  }
  const own = { ...job, viewing: viewingOf(job, cut) };
  const text = job.where[dataset.name];
  const conditions = text === undefined || !looksAt(text) ? [] : cutConditions({ ...job, bound: [] }, dataset, cut);
  for (const { column } of job.bound.flatMap((one) => boundCondition(job.viewing.report, cut, one, dataset) ?? []))
    refuseHidden(job, dataset, column);
  const shared = commonFilter(own, dataset, figure);
  const filter = shared.narrow(...conditions.map((node) => partOf(job, shared, node)));
  return cut.seenBy === undefined ? filter : filter.also(asSeenBy(job, dataset, cut.seenBy));
}

/** What a recipient may see of a dataset themselves. @throws {Refusal} `NOT_FOUND` */
function asSeenBy({ viewing, people }: CopyJob, dataset: DatasetShape, address: string) {
  const viewer = people.get(address);
  if (!viewer) throw new Refusal('NOT_FOUND', `There is no user “${address}”.`, { word: address });
  const { rules, masks, moment } = viewing;
  return decideAccess({ dataset, rules, masks, viewer, moment, place: 'burst' });
}

// Copies are cut by exact values; a sender who is not shown them cannot cut.
function refuseHidden(job: CopyJob, dataset: DatasetShape, column: DatasetColumn): void {
  const { masking } = outerFilter(job, dataset);
  if (masking.hidden.has(column.name) || masking.coarse.has(column.name)) throw columnHidden(dataset.name, column.name);
}

function checkShown(job: CopyJob, dataset: DatasetShape, keys: Keys): void {
  for (const { column } of keys.values()) refuseHidden(job, dataset, column);
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

/** The scan that all cuts come from. Only where the job's strategy is one pass. @throws {Refusal} `COLUMN_HIDDEN`, `VALUE_INVALID` */
export function scanFor(job: CopyJob, dataset: DatasetShape, cuts: readonly Cut[], figure?: Figure): Scan {
  const conditions = cuts.map((cut) => cutConditions(job, dataset, cut).flatMap(conditionsOf));
  const keys = conditions.map((nodes) => keysOf(nodes.filter(looksAtRecipient)));
  const columns = [...(keys[0]?.values() ?? [])].map((one) => one.column);
  if (keys[0]) checkShown(job, dataset, keys[0]);
  const same = (conditions[0] ?? []).filter((node) => !looksAtRecipient(node));
  const all = columns.map((column) => {
    const values = new Set(keys.flatMap((one) => one.get(column.name)?.values ?? []));
    return columnIn(column, valueTypeOf(column.type), [...values]);
  });
  const shared = commonFilter(job, dataset, figure);
  return {
    filter: shared.narrow(partOf(job, shared, allOf([...same, ...all]))),
    columns,
    tuples: keys.map((one) => tuplesOf(one, columns)),
  };
}
