import type { PersonViewer } from '@underbell/core/access';
import type { DatasetShape } from '@underbell/core/dataset';
import { validateReport, type ReportDefinition } from '@underbell/core/report';
import { putGrant, requireMaker, requireRight, visibleNames } from '../access/index.ts';
import { listDatasets } from '../dataset/store.ts';
import { remember, type App } from '../platform/index.ts';
import { addEdition, findEdition, hasReport, listEditions, listReports } from './store.ts';

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

/** Publishes a definition as the next edition under its name; every place that shows the report follows. */
export async function publishReport(
  app: App,
  person: PersonViewer,
  value: unknown,
  options: { notes: string; origin: string },
) {
  const definition = await checkReport(app, person, value);
  const isKnown = await hasReport(app, definition.name);
  if (isKnown) await requireRight(app, person, 'edit', 'report', definition.name);
  else await requireMaker(app, person, 'report');
  const edition = await app.records.transaction(async (transaction) => {
    const number = await addEdition(app, { definition, notes: options.notes, by: person.name }, transaction);
    const thing = { kind: 'report', name: definition.name } as const;
    if (!isKnown)
      await putGrant(app, { holder: { kind: 'person', name: person.email }, thing, level: 'own' }, transaction);
    await remember(
      app,
      {
        who: person.email,
        what: `edition ${number} published`,
        thing: `report ${definition.name}`,
        origin: options.origin,
      },
      transaction,
    );
    return number;
  });
  return { name: definition.name, edition };
}

export async function seenReports(app: App, person: PersonViewer) {
  const all = await listReports(app);
  const names = await visibleNames(
    app,
    person,
    'report',
    all.map((one) => one.name),
  );
  return Promise.all(
    all
      .filter((one) => names.includes(one.name))
      .map(async ({ name, title, editionNumber }) => {
        const [newest] = await listEditions(app, name);
        const { definition } = await findEdition(app, name);
        return {
          name,
          title,
          description: definition.description ?? '',
          edition: editionNumber,
          publishedAt: newest!.publishedAt,
          publishedBy: newest!.publishedBy,
        };
      }),
  );
}

export async function showReport(app: App, person: PersonViewer, name: string) {
  await requireRight(app, person, 'view', 'report', name);
  const { number, definition } = await findEdition(app, name);
  return {
    name,
    title: definition.title,
    description: definition.description ?? '',
    edition: number,
    definition,
    editions: await listEditions(app, name),
  };
}
