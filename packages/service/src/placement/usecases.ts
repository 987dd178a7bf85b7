import { checkPlacementFilter, isAtLeast, type PersonViewer, type RecordField } from '@underbell/core/access';
import { checkSwaps, hostLines, type ShownPlacement } from '@underbell/core/placement';
import { isRefusal, Refusal, suggest } from '@underbell/core/refusal';
import { findFigure, findPage, readParameters } from '@underbell/core/report';
import { escapeUTF8 } from 'entities';
import { emailsById, notFound, requirePassOn, requireRight, rightOn, rightsFor } from '../access/index.ts';
import { boardDatasetNames, findBoard } from '../board/index.ts';
import { findDataset, loadedSince } from '../dataset/index.ts';
import { announce, emit, deleteResourceData, holdName, momentOf, remember, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import type { Placement } from './models.ts';
import { shownResource } from './placementView.ts';
import { recordFieldsOf } from './resolvedPlacement.ts';
import { findPlacement, listPlacements, putPlacement, removePlacement, setSuspended } from './store.ts';
import { usageOf } from './placementUsage.ts';

/** What hosts with a little code paste: the element, its script, and where the host hands out access tokens. */
function snippetOf(app: App, { name, title }: Placement): string {
  const { publicUrl } = app.settings;
  return [
    `<script type="module" src="${publicUrl}/element.js"></script>`,
    `<under-bell src="${publicUrl}/v/${name}" token-url="/report-token" title="${escapeUTF8(title)}"></under-bell>`,
  ].join('\n');
}

const usualHeight = 480;

/** What hosts paste that take nothing but a frame. */
export const frameOf = (app: App, { name, title, look }: Placement, size: { width?: number; height?: number } = {}) =>
  `<iframe src="${app.settings.publicUrl}/v/${name}" title="${escapeUTF8(title)}" width="${size.width ?? '100%'}" height="${size.height ?? look.maxHeight ?? usualHeight}" loading="lazy" referrerpolicy="strict-origin" allow="clipboard-write" style="border:0"></iframe>`;

/** What hosts paste that have a record beside it. */
const linesOf = (app: App, { name, title, look }: Placement, fields: readonly RecordField[]) =>
  hostLines({
    publicUrl: app.settings.publicUrl,
    name,
    title: escapeUTF8(title),
    fields,
    height: look.maxHeight ?? usualHeight,
  });

/** The fields of its host's record; none of a placement whose dataset is not what it was, which then shows nothing. */
async function fieldsShown(app: App, placement: Placement): Promise<readonly RecordField[]> {
  try {
    return await recordFieldsOf(app, placement);
  } catch (error) {
    if (isRefusal(error)) return [];
    throw error;
  }
}

function shown(
  app: App,
  placement: Placement,
  emails: ReadonlyMap<string, string>,
  fields: readonly RecordField[],
): ShownPlacement<Date> {
  const { name, kind, title, look, parameters, origins, conditions, swaps } = placement;
  const { reportName, boardName, page, figure, firstPage, editionNumber, suspendedAt, makerId, madeAt } = placement;
  const madeBy = makerId === null ? undefined : emails.get(makerId);
  return {
    name,
    kind,
    title,
    ...(reportName === null ? {} : { report: reportName }),
    ...(boardName === null ? {} : { board: boardName }),
    ...(page === null ? {} : { page }),
    ...(figure === null ? {} : { figure }),
    ...(firstPage === null ? {} : { firstPage }),
    ...(editionNumber === null ? {} : { edition: editionNumber }),
    where: conditions,
    parameters,
    origins,
    look,
    swaps,
    ...(suspendedAt === null ? {} : { suspendedAt }),
    ...(madeBy === undefined ? {} : { madeBy }),
    ...(madeAt === null ? {} : { madeAt }),
    link: `${app.settings.publicUrl}/v/${name}`,
    snippet: snippetOf(app, placement),
    frame: frameOf(app, placement),
    ...(fields.length > 0 ? { beside: { fields, lines: linesOf(app, placement, fields) } } : {}),
  };
}

export async function showPlacement(app: App, placement: Placement): Promise<ShownPlacement<Date>> {
  return shown(app, placement, await emailsById(app), await fieldsShown(app, placement));
}

/** The datasets that a placement's filter may limit. */
export async function datasetsIn(app: App, placement: Placement): Promise<string[]> {
  const { reportName, boardName, editionNumber } = placement;
  if (reportName === null) {
    const board = await findBoard(app, boardName!);
    return board ? boardDatasetNames(app, board.definition) : [];
  }
  const { definition } = await findEdition(app, reportName, editionNumber ?? undefined);
  return Object.keys(definition.datasets);
}

/** @throws {Refusal} what of page, figure and parameters does not fit the report */
async function checkReportPart(app: App, placement: Placement): Promise<void> {
  const { reportName, page, figure, firstPage, editionNumber, parameters, look } = placement;
  const { definition } = await findEdition(app, reportName!, editionNumber ?? undefined);
  if (page !== null) {
    const found = findPage(definition, page);
    if (figure !== null) findFigure(found, figure);
    else for (const name of look.figures ?? []) findFigure(found, name);
  }
  if (firstPage !== null) findPage(definition, firstPage);
  readParameters(definition, parameters, { today: momentOf(app).today, isPartial: true });
}

const readsNot = (part: 'where' | 'swaps', name: string, datasets: readonly string[]) =>
  new Refusal('INPUT_INVALID', `The content does not use dataset “${name}”.`, {
    pointer: `/${part}/${name}`,
    word: name,
    ...suggest(name, datasets),
  });

async function checkFilters(app: App, person: PersonViewer, placement: Placement): Promise<void> {
  const datasets = await datasetsIn(app, placement);
  for (const [name, text] of Object.entries(placement.conditions)) {
    if (!datasets.includes(name)) throw readsNot('where', name, datasets);
    checkPlacementFilter(text, await findDataset(app, name));
  }
  for (const name of Object.keys(placement.swaps)) {
    if (!datasets.includes(name)) throw readsNot('swaps', name, datasets);
    // A swap can show a column that the report does not: that is for who may see the dataset.
    await requireRight(app, person, 'view', 'dataset', name);
    checkSwaps(placement.swaps, await findDataset(app, name));
  }
}

/** A placement as it is asked for: the rest comes by itself. */
export type PlacementWish = Omit<Placement, 'writerId' | 'makerId' | 'madeAt' | 'suspendedAt'>;

/** What whoever saves a placement has to be allowed: to change what it shows; or to pass it on, in a place that they own. */
export type PlacingRight = 'change' | 'pass on';

async function requirePlacing(
  app: App,
  person: PersonViewer,
  thing: ReturnType<typeof shownResource>,
  by: PlacingRight,
) {
  if (by === 'change') await requireRight(app, person, 'edit', thing.kind, thing.name);
  else await requirePassOn(app, person, 'view', thing.kind, thing.name);
}

/** A placement that may be written: what stood there before, and what is to stand there. */
export interface CheckedPlacement {
  readonly before: Placement | undefined;
  readonly placement: Placement;
}

/** Checks page, figure, parameters and filters of a placement against what it shows, and whether it may be saved. */
export async function checkPlacement(
  app: App,
  person: PersonViewer,
  wish: PlacementWish,
  by: PlacingRight = 'change',
): Promise<CheckedPlacement> {
  const thing = shownResource(wish);
  await requirePlacing(app, person, thing, by);
  const before = await findPlacement(app, wish.name);
  const other = before && shownResource(before);
  // Whose place it is, whoever passes something on there has looked at.
  const isOthers =
    by === 'change' &&
    other !== undefined &&
    (other.kind !== thing.kind || other.name !== thing.name) &&
    !isAtLeast(await rightOn(app, person, other.kind, other.name), 'edit');
  if (isOthers)
    throw new Refusal('NAME_TAKEN', `“${wish.name}” is a placement of another user.`, {
      word: wish.name,
      hint: 'Use another name.',
    });
  const placement: Placement = {
    ...wish,
    writerId: person.id,
    makerId: before ? before.makerId : person.id,
    madeAt: before ? before.madeAt : new Date(app.now()),
    suspendedAt: before?.suspendedAt ?? null,
  };
  if (thing.kind === 'report') await checkReportPart(app, placement);
  await checkFilters(app, person, placement);
  return { before, placement };
}

/** Writes a placement that was checked, in the transaction of whoever does more with it. */
export async function writePlacement(
  app: App,
  person: PersonViewer,
  { before, placement }: CheckedPlacement,
  origin: string,
): Promise<void> {
  await app.records.transaction(async () => {
    await holdName(app, { kind: 'placement', name: placement.name }, before !== undefined);
    await putPlacement(app, placement);
    await announce(app, { kind: 'placement', name: placement.name });
    await remember(app, {
      who: person.email,
      what: 'placement saved',
      thing: `placement ${placement.name}`,
      origin,
      before,
      after: placement,
    });
  });
}

/** Saves a placement after checking page, figure, parameters and filters against what it shows. */
export async function savePlacement(
  app: App,
  person: PersonViewer,
  wish: PlacementWish,
  origin: string,
): Promise<ShownPlacement<Date>> {
  const checked = await checkPlacement(app, person, wish);
  await writePlacement(app, person, checked, origin);
  return showPlacement(app, checked.placement);
}

/**
 * Takes a placement out of everybody's sight for a while, or shows it again.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`
 */
export async function suspendPlacement(
  app: App,
  person: PersonViewer,
  name: string,
  isSuspended: boolean,
  origin: string,
): Promise<ShownPlacement<Date>> {
  const placement = await requirePlacement(app, person, name);
  const thing = shownResource(placement);
  await requireRight(app, person, 'edit', thing.kind, thing.name);
  await app.records.transaction(async () => {
    await setSuspended(app, name, isSuspended ? new Date(app.now()) : null);
    await announce(app, { kind: 'placement', name });
    const what = isSuspended ? 'placement suspended' : 'placement resumed';
    await remember(app, { who: person.email, what, thing: `placement ${name}`, origin });
  });
  return showPlacement(app, (await findPlacement(app, name))!);
}

/** Ends a placement for good, in the transaction of whoever decides that. */
export async function endPlacement(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  const thing = { kind: 'placement', name } as const;
  if (!(await removePlacement(app, name))) throw notFound('placement', name, []);
  await deleteResourceData(app, thing);
  await remember(app, { who: person.email, what: 'placement deleted', thing: `placement ${name}`, origin });
  await announce(app, thing);
  await emit(app, 'thing.gone', { thing });
}

/** The placements of what a person may see; how they are used is told to those who may change them. */
export async function seenPlacements(
  app: App,
  person: PersonViewer,
  of: { readonly report?: string; readonly board?: string } = {},
): Promise<ShownPlacement<Date>[]> {
  const all = (await listPlacements(app)).filter(
    (one) =>
      (of.report === undefined || one.reportName === of.report) &&
      (of.board === undefined || one.boardName === of.board),
  );
  const right = rightsFor(app, person);
  const rights = await Promise.all(all.map((one) => right(shownResource(one))));
  const seen = all.filter((_, i) => rights[i] !== undefined);
  const changed = all.filter((_, i) => rights[i] !== undefined && isAtLeast(rights[i], 'edit'));
  const emails = await emailsById(app);
  const uses = await usageOf(
    app,
    changed.map((one) => one.name),
  );
  const dataAt = new Map<string, Date | null>();
  for (const one of changed) dataAt.set(one.name, await loadedSince(app, await datasetsIn(app, one)));
  const fields = new Map<string, readonly RecordField[]>();
  for (const one of seen) fields.set(one.name, await fieldsShown(app, one));
  return seen.map((one) => {
    const use = uses.get(one.name);
    return {
      ...shown(app, one, emails, fields.get(one.name)!),
      ...(use ? { use: { ...use, dataAt: dataAt.get(one.name) ?? null } } : {}),
    };
  });
}

/** A placement of what a person may see; which others there are, is told only of those. @throws {Refusal} `NOT_FOUND` */
async function requirePlacement(app: App, person: PersonViewer, name: string): Promise<Placement> {
  const placement = await findPlacement(app, name);
  const thing = placement && shownResource(placement);
  if (placement && thing && (await rightOn(app, person, thing.kind, thing.name)) !== undefined) return placement;
  const right = rightsFor(app, person);
  const all = await listPlacements(app);
  const rights = await Promise.all(all.map((one) => right(shownResource(one))));
  const names = all.filter((_, i) => rights[i] !== undefined).map((one) => one.name);
  throw notFound('placement', name, names);
}

export async function seenPlacement(app: App, person: PersonViewer, name: string): Promise<ShownPlacement<Date>> {
  const placement = await requirePlacement(app, person, name);
  const { reportName, boardName } = placement;
  const of = reportName === null ? { board: boardName! } : { report: reportName };
  return (await seenPlacements(app, person, of)).find((one) => one.name === name)!;
}
