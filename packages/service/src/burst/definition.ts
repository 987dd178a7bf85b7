import type { PersonViewer } from '@underbell/core/access';
import { checkTemplate, templateNamesFor, type BurstDefinition } from '@underbell/core/burst';
import { Refusal, suggest } from '@underbell/core/refusal';
import { noSuch, requireRight, visibleNames } from '../access/index.ts';
import type { App } from '../platform/index.ts';
import type { ListRow } from './listStore.ts';
import { requireList } from './listUsecases.ts';
import { findBurst, listBursts } from './store.ts';

/** Checks names that only the report and the list know. */
export async function checkAgainstList(app: App, person: PersonViewer, definition: BurstDefinition): Promise<ListRow> {
  const list = await requireList(app, person, definition.list);
  for (const [parameter, column] of Object.entries(definition.bind)) {
    if (list.columns.includes(column)) continue;
    throw new Refusal('BURST_INVALID', `the list \`${list.name}\` has no column \`${column}\``, {
      pointer: `/bind/${parameter}`,
      word: column,
      ...suggest(column, list.columns),
    });
  }
  const known = templateNamesFor(list.columns);
  checkTemplate(definition.fileName, known, '/fileName');
  checkTemplate(definition.destination.subject, known, '/destination/subject');
  checkTemplate(definition.destination.message, [...known, 'links'], '/destination/message');
  if (definition.destination.emptyMessage)
    checkTemplate(definition.destination.emptyMessage, known, '/destination/emptyMessage');
  return list;
}

/** A burst that somebody may look at or change. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function requireBurst(
  app: App,
  person: PersonViewer,
  name: string,
  level: 'view' | 'edit',
): Promise<BurstDefinition> {
  const burst = await findBurst(app, name);
  if (!burst)
    throw noSuch(
      'burst',
      name,
      await visibleNames(
        app,
        person,
        'burst',
        (await listBursts(app)).map((one) => one.name),
      ),
    );
  await requireRight(app, person, level, 'burst', name);
  return burst.definition;
}
