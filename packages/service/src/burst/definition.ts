import type { PersonViewer } from '@underbell/core/access';
import { checkTemplate, templateNamesFor, type BurstDefinition, type BurstDestination } from '@underbell/core/burst';
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
  checkDestinationTexts(definition.destination, known);
  return list;
}

function checkDestinationTexts(destination: BurstDestination, known: readonly string[]): void {
  const check = (text: string | undefined, at: string, more: readonly string[] = []) =>
    text === undefined ? undefined : checkTemplate(text, [...known, ...more], `/destination/${at}`);
  if (destination.kind === 'mail') {
    check(destination.subject, 'subject');
    check(destination.message, 'message', ['links']);
    check(destination.emptyMessage, 'emptyMessage');
    check(destination.replyTo, 'replyTo');
  } else if (destination.kind !== 'webhook') {
    check(destination.folder, 'folder');
    check(destination.announce?.subject, 'announce/subject');
    check(destination.announce?.message, 'announce/message', ['links']);
  }
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
