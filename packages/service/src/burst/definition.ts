import { checkRecipientFilter, type PersonViewer } from '@underbell/core/access';
import {
  burstMistakes,
  checkTemplate,
  recipientColumns,
  templateNamesFor,
  type BurstDefinition,
  type BurstDestination,
} from '@underbell/core/burst';
import { checkAll, Refusal, suggest } from '@underbell/core/refusal';
import { parameterColumn } from '@underbell/core/report';
import { listPeople, notFound, requireRight, visibleNames } from '../access/index.ts';
import type { App } from '../platform/index.ts';
import { type ListRow, requireList } from '../list/index.ts';
import type { PreparedBurst } from './prepare.ts';
import { findBurst, listBursts } from './store.ts';

/** Checks names that only the report and the list know. */
export async function checkAgainstList(app: App, person: PersonViewer, definition: BurstDefinition): Promise<ListRow> {
  const list = await requireList(app, person, definition.list);
  const named = [
    ...Object.entries(definition.bind ?? {}).map(([parameter, column]) => [`/bind/${parameter}`, column] as const),
    ...Object.entries(definition.where ?? {}).flatMap(([dataset, text]) =>
      recipientColumns(text).map((column) => [`/where/${dataset}`, column] as const),
    ),
    ...(definition.pdf ? [['/pdf/passwordColumn', definition.pdf.passwordColumn] as const] : []),
    ...Object.keys(definition.many ?? {}).map((column) => [`/many/${column}`, column] as const),
  ];
  const checkColumn = (pointer: string, column: string) => {
    if (list.columns.includes(column)) return;
    throw new Refusal('BURST_INVALID', `List “${list.name}” has no column “${column}”.`, {
      pointer,
      word: column,
      ...suggest(column, list.columns),
    });
  };
  const known = templateNamesFor(definition, list.columns);
  checkAll(burstMistakes, [
    ...named.map(
      ([pointer, column]) =>
        () =>
          checkColumn(pointer, column),
    ),
    () => checkTemplate(definition.fileName, known, '/fileName'),
    () => checkDestinationTexts(definition.destination, known),
  ]);
  return list;
}

/** Checks by what copies are cut: the datasets and their columns, and the people who release a run. */
export async function checkCutting(app: App, burst: PreparedBurst, listColumns: readonly string[]): Promise<void> {
  const { definition, viewing, revisions, bound } = burst;
  for (const { parameter } of bound)
    for (const { shape } of revisions.values()) parameterColumn(viewing.report, parameter, shape);
  for (const [dataset, text] of Object.entries(definition.where ?? {})) {
    const revision = revisions.get(dataset);
    if (!revision)
      throw new Refusal('BURST_INVALID', `The page and the rows of this burst do not use dataset “${dataset}”.`, {
        pointer: `/where/${dataset}`,
        word: dataset,
        ...suggest(dataset, [...revisions.keys()]),
      });
    checkRecipientFilter(text, revision.shape, listColumns);
  }
  if (!definition.release) return;
  const known = (await listPeople(app)).map((one) => one.email.toLowerCase());
  const unknown = definition.release.find((one) => !known.includes(one));
  if (unknown !== undefined)
    throw new Refusal('BURST_INVALID', `There is no user “${unknown}”.`, {
      pointer: '/release',
      word: unknown,
      ...suggest(unknown, known),
    });
}

/**
 * Those who release the runs of a burst are taken away, or others put in their place, by one of themselves who is not its
 * sender: a second person whom the first can do without is none.
 *
 * @throws {Refusal} `NOT_ALLOWED`
 */
export function requireReleaser(
  person: PersonViewer,
  known: { readonly definition: BurstDefinition; readonly ownerId: string } | undefined,
  definition: BurstDefinition,
): void {
  const before = known?.definition.release;
  const same = (one: readonly string[]) => JSON.stringify(one.map((address) => address.toLowerCase()).sort());
  if (!known || before === undefined || same(before) === same(definition.release ?? [])) return;
  const isSecond = before.map((one) => one.toLowerCase()).includes(person.email) && person.id !== known.ownerId;
  if (isSecond || person.isAdministrator) return;
  throw new Refusal('NOT_ALLOWED', 'The sender cannot change the approvers.', {
    pointer: '/release',
    hint: `Ask an approver to save the burst: ${before.join(' or ')}.`,
  });
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
    throw notFound(
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
