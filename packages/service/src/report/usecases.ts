import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import type { DatasetShape } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import {
  type ComparedEditions,
  brokenUses,
  compareEditions,
  startReport,
  validateReport,
  type ListedReport,
  type ReportDefinition,
  type ShownReport,
} from '@underbell/core/report';
import { notFound, putOwner, requireAuthor, requireRight, visibleNames } from '../access/index.ts';
import { findDatasetRow, listDatasets, ownRows, profileColumns } from '../dataset/index.ts';
import { lockResource, holdName, announce, emit, remember, userOf, type App } from '../platform/index.ts';
import {
  addEdition,
  findEdition,
  findReport,
  listEditions,
  currentEditions,
  retire,
  setCurrent,
  type Edition,
} from './store.ts';
import { dependentsOf } from './dependents.ts';

/**
 * Checks a definition against the datasets that its publisher may see.
 *
 * @throws {Refusal} `REPORT_INVALID` with every problem; a dataset that may not be seen counts as not there
 */
export async function checkReport(app: App, person: PersonViewer, value: unknown): Promise<ReportDefinition> {
  const all = await listDatasets(app);
  const seen = new Set(
    await visibleNames(
      app,
      person,
      'dataset',
      all.map((one) => one.name),
    ),
  );
  const shapes = new Map<string, DatasetShape>(all.filter((one) => seen.has(one.name)).map((one) => [one.name, one]));
  return validateReport(value, (name) => shapes.get(name));
}

/** @throws {Refusal} `VERSION_CONFLICT` where another edition came since the one that was changed */
async function refuseOvertaken(app: App, name: string, changed: number): Promise<void> {
  const [newest] = await listEditions(app, name);
  if (newest === undefined || newest.number === changed) return;
  throw new Refusal(
    'VERSION_CONFLICT',
    `${newest.publishedBy} published edition ${newest.number} of report “${name}” in the meantime.`,
    {
      hint: `You edited edition ${changed}. Compare them, then publish again.`,
    },
  );
}

/** Publishes a definition as the next edition under its name; every place that shows the report follows. */
export async function publishReport(
  app: App,
  person: PersonViewer,
  value: unknown,
  options: { notes: string; isConfirmed: boolean; origin: string; changed?: number },
) {
  const definition = await checkReport(app, person, value);
  const known = await findReport(app, definition.name);
  const isKnown = known !== undefined;
  if (known?.isBinned)
    throw new Refusal('NAME_TAKEN', `Report “${definition.name}” is in the trash.`, {
      hint: 'Restore it, or use another name.',
    });
  if (isKnown) await requireRight(app, person, 'edit', 'report', definition.name);
  else await requireAuthor(app, person, 'report');
  if (!options.isConfirmed) await refuseBreaks(app, definition, 'published');
  const edition = await app.records.transaction(async () => {
    const thing = { kind: 'report', name: definition.name } as const;
    await holdName(app, thing, isKnown);
    if (options.changed !== undefined) await refuseOvertaken(app, definition.name, options.changed);
    const number = await addEdition(app, { definition, notes: options.notes, by: person });
    if (!isKnown) await putOwner(app, person, thing);
    await remember(app, {
      who: person.email,
      what: `edition ${number} published`,
      thing: `report ${definition.name}`,
      origin: options.origin,
    });
    await announce(app, thing);
    await emit(app, 'report.published', { name: definition.name, edition: number });
    return number;
  });
  return { name: definition.name, edition };
}

/** What an edition takes from those who use the report must be said out loud first. @throws {Refusal} `EDITION_BREAKS` */
async function refuseBreaks(app: App, definition: ReportDefinition, what: string): Promise<void> {
  const broken = brokenUses(definition, await dependentsOf(app, definition.name));
  if (broken.length === 0) return;
  const users = [...new Set(broken.map((one) => one.user))];
  throw new Refusal('EDITION_BREAKS', `This edition would break ${users.join(', ')}. Nothing was ${what}.`, {
    hint: 'Confirm it, or keep what they use.',
    problems: broken.map((one) => ({ at: one.user, message: one.what })),
  });
}

/** An edition that could be shown: not retired. */
async function usableEdition(app: App, name: string, number: number): Promise<Edition> {
  const edition = await findEdition(app, name, number);
  const row = (await listEditions(app, name)).find((one) => one.number === number);
  if (row?.retiredAt)
    throw new Refusal('IN_USE', `Edition ${number} of report “${name}” is retired.`, {
      word: String(number),
      hint: 'Publish its definition again.',
    });
  return edition;
}

/** Shows an earlier edition again, or a later one; every place follows. */
export async function rollBack(
  app: App,
  person: PersonViewer,
  name: string,
  options: { edition: number; isConfirmed: boolean; origin: string },
) {
  await requireRight(app, person, 'edit', 'report', name);
  const { number, definition } = await usableEdition(app, name, options.edition);
  const before = (await findEdition(app, name)).number;
  await checkReport(app, person, definition);
  if (!options.isConfirmed) await refuseBreaks(app, definition, 'changed');
  await app.records.transaction(async () => {
    await lockResource(app, 'report', name);
    await setCurrent(app, name, { number, title: definition.title });
    const entry = {
      who: person.email,
      what: `rolled back to edition ${number}`,
      thing: `report ${name}`,
      origin: options.origin,
      before: { edition: before },
      after: { edition: number },
    };
    await remember(app, entry);
    await announce(app, { kind: 'report', name });
  });
  return { name, edition: number };
}

/** Takes an edition out of use. @throws {Refusal} `IN_USE` for the current one and those that places are pinned to */
export async function retireEdition(
  app: App,
  person: PersonViewer,
  name: string,
  number: number,
  origin: string,
): Promise<void> {
  await requireRight(app, person, 'edit', 'report', name);
  await findEdition(app, name, number);
  if ((await findEdition(app, name)).number === number)
    throw new Refusal('IN_USE', `Edition ${number} is the current edition.`, {
      hint: 'Publish another edition, or roll back first.',
    });
  const pinned = (await app.things.dependentsOf({ kind: 'report', name })).filter((one) => one.edition === number);
  if (pinned.length > 0) {
    const problems = pinned.map((one) => ({ at: userOf(one), message: `is pinned to edition ${number}` }));
    throw new Refusal('IN_USE', `Edition ${number} is used by ${pinned.map((one) => one.by.name).join(', ')}.`, {
      problems,
    });
  }
  await app.records.transaction(async () => {
    await retire(app, name, number);
    await remember(app, { who: person.email, what: `edition ${number} retired`, thing: `report ${name}`, origin });
  });
}

/** What differs between two editions, and who would notice. */
export async function compareTwo(
  app: App,
  person: PersonViewer,
  name: string,
  from: number,
  to: number,
): Promise<ComparedEditions> {
  await requireRight(app, person, 'edit', 'report', name);
  const [before, after] = await Promise.all([findEdition(app, name, from), findEdition(app, name, to)]);
  const breaks = brokenUses(after.definition, await dependentsOf(app, name));
  return {
    from,
    to,
    changes: compareEditions(before.definition, after.definition),
    breaks,
    pages: after.definition.pages.map(({ name: page, title }) => ({ name: page, title })),
  };
}

/** A definition that makes a sensible first report of a dataset. */
export async function startFrom(app: App, person: PersonViewer, dataset: string): Promise<ReportDefinition> {
  await requireRight(app, person, 'view', 'dataset', dataset);
  const row = await findDatasetRow(app, dataset);
  if (!row) throw notFound('dataset', dataset, []);
  const profile = await profileColumns(app, person, dataset);
  const request = await ownRows(app, person, dataset, undefined);
  return validateReport(
    startReport(request.filter.visible, { title: row.title, profile }),
    () => request.filter.visible,
  );
}

export async function seenReports(app: App, person: PersonViewer): Promise<ListedReport<Date>[]> {
  const current = await currentEditions(app);
  const names = await visibleNames(
    app,
    person,
    'report',
    current.map((one) => one.definition.name),
  );
  return current
    .filter((one) => names.includes(one.definition.name))
    .map(({ number, definition, publishedAt, publishedBy }) => ({
      name: definition.name,
      title: definition.title,
      description: definition.description ?? '',
      edition: number,
      publishedAt,
      publishedBy,
    }));
}

/** A definition as its readers know it: by which values it is limited is its authors' to know. */
function withoutConditions({ where: _report, ...report }: ReportDefinition): ReportDefinition {
  const pages = report.pages.map(({ where: _page, ...page }) => ({
    ...page,
    figures: page.figures.map((figure) => {
      if (!('where' in figure)) return figure;
      const { where: _figure, ...rest } = figure;
      return rest;
    }),
  }));
  return { ...report, pages };
}

export async function showReport(app: App, person: PersonViewer, name: string): Promise<ShownReport<Date>> {
  const right = await requireRight(app, person, 'view', 'report', name);
  const { number, definition } = await findEdition(app, name);
  return {
    name,
    title: definition.title,
    description: definition.description ?? '',
    edition: number,
    definition: isAtLeast(right, 'edit') ? definition : withoutConditions(definition),
    editions: await listEditions(app, name),
  };
}

export async function showEdition(
  app: App,
  person: PersonViewer,
  name: string,
  number: number,
): Promise<{ number: number; definition: ReportDefinition }> {
  await requireRight(app, person, 'edit', 'report', name);
  return findEdition(app, name, number);
}
