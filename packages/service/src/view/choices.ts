import { effectiveFilterOf, type TokenViewer } from '@underbell/core/access';
import { columnLabel } from '@underbell/core/dataset';
import { Refusal, suggest } from '@underbell/core/refusal';
import { datasetNameOf, type Parameter } from '@underbell/core/report';
import { distinctValues, readableRevision, valuesWithWords } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import type { PreparedView } from './prepare.ts';

export interface OfferedValue {
  readonly value: string;
  readonly words: string;
}

const mostOffered = 200;

function parameterNamed(view: PreparedView, name: string): Parameter {
  const all = view.viewing.report.parameters ?? [];
  const found = all.find((one) => one.name === name);
  if (found) return found;
  const names = all.map((one) => one.name);
  throw new Refusal('PARAMETER_UNKNOWN', `The report has no parameter “${name}”.`, {
    word: name,
    ...suggest(name, names),
  });
}

/** The dataset and columns that a parameter's values come from; undefined where there is nothing to choose from. */
function columnsOf(view: PreparedView, parameter: Parameter) {
  const { report } = view.viewing;
  const { allowed } = parameter;
  if (allowed && !Array.isArray(allowed)) {
    const from = allowed as Exclude<typeof allowed, readonly string[]>;
    return {
      dataset: datasetNameOf(report, from.dataset)!,
      column: from.column,
      shown: from.shown,
      within: from.within ?? [],
    };
  }
  for (const [dataset, { shape }] of view.revisions) {
    const column = shape.columns.find((one) =>
      parameter.key ? one.key === parameter.key : one.name === parameter.column,
    );
    if (column) return { dataset, column: column.name, within: [] as string[] };
  }
  return undefined;
}

/**
 * Values that a reader may choose for a parameter: those of the rows that the reader may see, under the parameters that
 * narrow this one.
 *
 * @param search - a part of the value or of its words
 */
export async function offeredValues(
  app: App,
  view: PreparedView,
  name: string,
  search: string,
): Promise<{ values: OfferedValue[]; isCut: boolean }> {
  const parameter = parameterNamed(view, name);
  const fits = ({ value, words }: OfferedValue) => `${value} ${words}`.toLowerCase().includes(search.toLowerCase());
  if (Array.isArray(parameter.allowed)) {
    const all = (parameter.allowed as readonly string[]).map((value) => ({ value, words: value })).filter(fits);
    return { values: all.slice(0, mostOffered), isCut: all.length > mostOffered };
  }
  const from = columnsOf(view, parameter);
  if (!from) return { values: [], isCut: false };
  const revision = view.revisions.get(from.dataset) ?? (await readableRevision(app, from.dataset));
  const viewing = withoutOwn(view.viewing);
  const chosen = viewing.chosen.filter((one) => from.within.includes(one.parameter.name));
  const filter = effectiveFilterOf({ ...viewing, chosen, choices: [], drills: [] }, revision.shape);
  const columns = { value: from.column, ...(from.shown ? { shown: from.shown } : {}) };
  const found = await valuesWithWords(app, { lane: 'readers', revision, filter }, columns, {
    search,
    limit: mostOffered + 1,
  });
  return { values: found.slice(0, mostOffered), isCut: found.length > mostOffered };
}

/** The columns that a reader's own filter may name, and values of one of them to complete. */
export async function filterWords(app: App, view: PreparedView, column: string | undefined, starts: string) {
  // Who looks by a public link sees what its figures show, not what else the datasets hold.
  if ((view.viewing.viewer as Partial<TokenViewer>).isPublic)
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'A public link has no reader filter.');
  const shapes = [...view.revisions.values()].map((revision) => ({
    revision,
    filter: effectiveFilterOf({ ...withoutOwn(view.viewing), choices: [] }, revision.shape),
  }));
  const columns = new Map(
    shapes.flatMap(({ filter }) => filter.visible.columns.map((one) => [one.name, one] as const)),
  );
  const found =
    column === undefined
      ? undefined
      : shapes.find(({ filter }) => filter.visible.columns.some((one) => one.name === column));
  const values =
    found && column !== undefined
      ? await distinctValues(app, { lane: 'readers', ...found }, columns.get(column)!, starts)
      : [];
  return {
    columns: [...columns.values()].map((one) => ({ name: one.name, label: columnLabel(one), type: one.type })),
    values,
  };
}

function withoutOwn({ where: _where, ...viewing }: PreparedView['viewing']): PreparedView['viewing'] {
  return viewing;
}
