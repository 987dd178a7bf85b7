import {
  effectiveFilterOf,
  type EffectiveFilter,
  type LimitPart,
  type PersonViewer,
  type Viewing,
} from '@underbell/core/access';
import { readPeriod, type BurstDefinition, type Period } from '@underbell/core/burst';
import { valueTypeOf, type DatasetColumn, type DatasetShape, type Value } from '@underbell/core/dataset';
import { columnIn } from '@underbell/core/filter';
import { Refusal, suggest } from '@underbell/core/refusal';
import {
  columnHidden,
  datasetNameOf,
  findPage,
  parameterColumn,
  readParameter,
  type Figure,
  type Parameter,
  type ReportDefinition,
} from '@underbell/core/report';
import { limitsOn } from '../access/index.ts';
import { readableRevision, type Revision } from '../dataset/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { revisionsOf } from '../view/index.ts';

/** A burst with everything it reads from, settled for one run. */
export interface PreparedBurst {
  readonly definition: BurstDefinition;
  readonly period: Period;
  readonly editionNumber: number;
  readonly viewing: Viewing;
  /** The parameter that cuts the copies apart, and the list column that it is bound to. */
  readonly bound: Parameter;
  readonly listColumn: string;
  readonly revisions: ReadonlyMap<string, Revision>;
  /** The dataset whose rows a CSV copy holds and whose rows are counted. */
  readonly rowRevision: Revision;
  /** Its column that the bound parameter filters. */
  readonly key: DatasetColumn;
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

function keyOf(report: ReportDefinition, parameter: Parameter, dataset: DatasetShape): DatasetColumn {
  const column = parameterColumn(report, parameter, dataset);
  if (column) return column;
  throw new Refusal('KEY_MISSING', `\`${dataset.name}\` cannot be cut by \`${parameter.name}\``, {
    word: parameter.name,
  });
}

/** Settles a burst for a period: edition, revisions, sender's limits. */
export async function prepareBurst(
  app: App,
  sender: PersonViewer,
  definition: BurstDefinition,
  periodText: string | undefined,
  binding?: Binding,
): Promise<PreparedBurst> {
  const period = readPeriod(definition, periodText, app.settings.locale);
  const edition = await findEdition(app, definition.report, binding?.editionNumber);
  const report = edition.definition;
  const page = findPage(report, definition.page);
  const [[boundName, listColumn]] = Object.entries(definition.bind) as [[string, string]];
  const bound = findParameter(report, boundName, `/bind/${boundName}`);
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
  const viewing: Viewing = {
    report,
    page,
    viewer: sender,
    ...(await limitsOn(app, [...revisions.keys()])),
    place: 'burst',
    moment: momentOf(app),
    chosen: [],
    choices: [],
    fixed:
      definition.period && period.value
        ? [periodValue(report, definition.period.parameter, period, definition.name)]
        : [],
  };
  return {
    definition,
    period,
    editionNumber: edition.number,
    viewing,
    bound,
    listColumn,
    revisions,
    rowRevision,
    key: keyOf(report, bound, rowRevision.shape),
  };
}

function periodValue(report: ReportDefinition, name: string, period: Period, burst: string) {
  const parameter = findParameter(report, name, '/period/parameter');
  const raw = period.value ?? '';
  const words = `${(parameter.label ?? name).toLowerCase()} is ${period.words}`;
  const read = readParameter(parameter, [parameter.period ? period.name : raw], raw);
  return { ...read, origin: 'burst' as const, by: burst, words };
}

/** The columns of the row copies, in order. */
export function copyColumns(burst: PreparedBurst): DatasetColumn[] {
  const { definition, rowRevision } = burst;
  const { columns } = commonFilter(burst, rowRevision.shape).visible;
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

/** What everything sent is limited by, before it is cut. */
export function commonFilter(burst: PreparedBurst, dataset: DatasetShape, figure?: Figure): EffectiveFilter {
  return effectiveFilterOf(burst.viewing, dataset, figure);
}

/** The same, narrowed to the recipients with these values. */
export function filterFor(
  burst: PreparedBurst,
  dataset: DatasetShape,
  values: readonly Value[],
  figure?: Figure,
): EffectiveFilter {
  const column = keyOf(burst.viewing.report, burst.bound, dataset);
  const common = commonFilter(burst, dataset, figure);
  // Copies are cut by exact values; a sender who is not shown them cannot cut.
  if (common.masking.hidden.has(column.name) || common.masking.coarse.has(column.name))
    throw columnHidden(dataset.name, column.name);
  const part: LimitPart = {
    origin: 'burst',
    name: burst.definition.name,
    isFixed: true,
    node: columnIn(column, valueTypeOf(column.type), values),
  };
  return common.narrow(part);
}

/** The column of a figure's dataset that cuts its answers apart; undefined for a shared dataset, which all see whole. */
export function partitionColumn(burst: PreparedBurst, dataset: DatasetShape): DatasetColumn | undefined {
  return parameterColumn(burst.viewing.report, burst.bound, dataset);
}
