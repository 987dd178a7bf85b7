import type { PersonViewer, Viewing } from '@underbell/core/access';
import {
  cuttingColumns,
  decideStrategy,
  readPeriod,
  recipientsOfCopies,
  textsOf,
  type Bound,
  type BurstDefinition,
  type Period,
} from '@underbell/core/burst';
import { Refusal, suggest } from '@underbell/core/refusal';
import {
  datasetNameOf,
  findPage,
  readParameter,
  readParameters,
  type Parameter,
  type ParameterValue,
  type ReportDefinition,
} from '@underbell/core/report';
import { findPerson, limitsOn, listPeople } from '../access/index.ts';
import { readableRevision } from '../dataset/index.ts';
import { findList, listRecipients } from '../list/index.ts';
import type { CopyJob, ParameterSetting } from '../copies/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { parameterWords, revisionsOf } from '../view/index.ts';

/** A burst settled for one run: what its copies are made of, and what it is about. */
export interface PreparedBurst extends CopyJob {
  readonly definition: BurstDefinition;
  readonly period: Period;
  readonly editionNumber: number;
}

/** What a run stays bound to, whatever is published or loaded meanwhile. */
export interface Binding {
  readonly editionNumber: number;
  readonly revisions: Readonly<Record<string, number>>;
}

function findParameter(report: ReportDefinition, name: string, pointer: string): Parameter {
  const found = report.parameters?.find((one) => one.name === name);
  if (found) return found;
  throw new Refusal('BURST_INVALID', `Report “${report.name}” has no parameter “${name}”.`, {
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
    throw new Refusal('BURST_INVALID', 'Specify the dataset of the rows.', {
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
  const { name, where = {}, rows, formats, csv, template } = definition;
  return {
    definition,
    period,
    name,
    where,
    formats,
    today: period.value ?? moment.today,
    ...(rows?.columns ? { columns: rows.columns } : {}),
    ...(csv ? { csv } : {}),
    ...(template === undefined ? {} : { template }),
    cutValues: () => cutValuesOf(app, definition),
    settings: settingsOf(report, bound, fixed),
    editionNumber: edition.number,
    viewing,
    bound,
    strategy: decideStrategy(definition, report, page, parameters),
    revisions,
    rowRevision,
    people: await peopleFor(app, definition),
  };
}

/** Everything that the copies of all recipients of a burst are cut by. */
async function cutValuesOf(app: App, definition: BurstDefinition): Promise<string[]> {
  const list = await findList(app, definition.list);
  const recipients = list ? await listRecipients(app, list) : [];
  const columns = cuttingColumns(definition);
  const values = recipientsOfCopies(definition, recipients).flatMap((one) =>
    columns.flatMap((column) => textsOf(definition, one, column)),
  );
  return [...new Set(values)];
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
