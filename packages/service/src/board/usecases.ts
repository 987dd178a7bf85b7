import { checkPlacementFilter, mayPassOn, type PersonViewer, type Viewer } from '@underbell/core/access';
import {
  validateBoard,
  type BoardDefinition,
  type BoardFigure,
  type ListedBoard,
  type OfferedReport,
} from '@underbell/core/board';
import { figuresFor } from '@underbell/core/placement';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { readParameters, type FigureResult, type ReportDefinition } from '@underbell/core/report';
import { notFound, putOwner, requireAuthor, requireRight, rightOn, visibleNames } from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import { holdName, announce, emit, momentOf, remember, type App, type ThingId } from '../platform/index.ts';
import { currentDefinitions } from '../report/index.ts';
import {
  parameterWords,
  readOne,
  revisionFor,
  dataFigures,
  limitsOf,
  type PreparedView,
  type ViewRequest,
  metered,
  type Place,
} from '../view/index.ts';
import { prepareBoardFigure } from './figure.ts';
import { boardFrameOrigins } from './frames.ts';
import { findBoard, isBoardBinned, listBoards, putBoard } from './store.ts';
import type { BoardRow } from './models.ts';
import { type ViewedFigure, type ViewResponse } from '@underbell/core/view';

/** The reports that a person may see, by name. */
async function visibleReports(app: App, person: PersonViewer): Promise<Map<string, ReportDefinition>> {
  const definitions = new Map((await currentDefinitions(app)).map((one) => [one.name, one]));
  const names = await visibleNames(app, person, 'report', [...definitions.keys()]);
  return new Map(names.map((name) => [name, definitions.get(name)!]));
}

/** Checks a board against the reports that its maker may see. @throws {Refusal} `BOARD_INVALID` */
export async function checkBoard(app: App, person: PersonViewer, value: unknown): Promise<BoardDefinition> {
  const reports = await visibleReports(app, person);
  const origins = await boardFrameOrigins(app);
  const board = validateBoard(value, (name) => reports.get(name), [...reports.keys()], origins);
  const { today } = momentOf(app);
  for (const [index, figure] of board.figures.entries()) {
    await at(`/figures/${index}/parameters`, async () => {
      readParameters(reports.get(figure.report)!, figure.parameters ?? {}, { today, isPartial: true });
    });
    for (const [name, text] of Object.entries(figure.where ?? {}))
      await at(`/figures/${index}/where/${name}`, async () => checkPlacementFilter(text, await findDataset(app, name)));
  }
  return board;
}

/** Points a complaint at its place on the board. */
async function at(pointer: string, check: () => Promise<void>): Promise<void> {
  try {
    await check();
  } catch (error) {
    if (!isRefusal(error)) throw error;
    const { hint, nearest } = error.details;
    const problem = { at: pointer, message: error.message, hint, nearest };
    throw new Refusal(
      'BOARD_INVALID',
      `${pointer}: ${error.message}`,
      { pointer, hint, nearest, problems: [problem] },
      { cause: error },
    );
  }
}

/** Saves a board; everywhere that shows it follows. */
export async function saveBoard(
  app: App,
  person: PersonViewer,
  value: unknown,
  options: {
    version?: number;
    origin: string;
    /** Whoever may make it there has been looked at: what else is written with it. */
    madeIn?: () => Promise<void>;
  },
) {
  const board = await checkBoard(app, person, value);
  const known = await findBoard(app, board.name);
  if (known) await requireRight(app, person, 'edit', 'board', board.name);
  else {
    if (await isBoardBinned(app, board.name))
      throw new Refusal('NAME_TAKEN', `Board “${board.name}” is in the trash.`, {
        hint: 'Restore it, or use another name.',
      });
    if (!options.madeIn) await requireAuthor(app, person, 'report');
  }
  const version = await app.records.transaction(async () => {
    const thing = { kind: 'board', name: board.name } as const;
    await holdName(app, thing, known !== undefined);
    if (!known) await putOwner(app, person, thing);
    const entry = {
      who: person.email,
      what: 'board saved',
      thing: `board ${board.name}`,
      origin: options.origin,
      before: known?.definition,
      after: board,
    };
    await remember(app, entry);
    await announce(app, thing);
    const saved = await putBoard(app, board, person, options.version);
    if (saved !== undefined) {
      await options.madeIn?.();
      await emit(app, 'board.saved', { name: board.name, version: saved });
      return saved;
    }
    throw new Refusal(
      'VERSION_CONFLICT',
      `Board “${board.name}” was changed by ${known?.changedBy ?? 'another user'}.`,
      {
        hint: 'Reload and try again.',
      },
    );
  });
  return { name: board.name, version };
}

async function requireBoard(app: App, name: string): Promise<BoardRow> {
  const row = await findBoard(app, name);
  if (!row) throw notFound('board', name, []);
  return row;
}

export async function seenBoards(app: App, person: PersonViewer): Promise<ListedBoard<Date>[]> {
  const all = await listBoards(app);
  const names = await visibleNames(
    app,
    person,
    'board',
    all.map((one) => one.name),
  );
  return all
    .filter((one) => names.includes(one.name))
    .map(({ name, title, definition, changedAt, changedBy }) => ({
      name,
      title,
      description: definition.description ?? '',
      figures: definition.figures.length,
      changedAt,
      changedBy,
    }));
}

export async function showBoard(app: App, person: PersonViewer, name: string) {
  await requireRight(app, person, 'view', 'board', name);
  const { definition, version, changedAt, changedBy } = await requireBoard(app, name);
  return { definition, version, changedAt, changedBy };
}

/** Everything that can be put on a board: the figures of every page that a person may see, as they are now. */
export async function catalogue(app: App, person: PersonViewer): Promise<OfferedReport[]> {
  const reports = await visibleReports(app, person);
  return [...reports.values()].map((report) => ({
    report: report.name,
    title: report.title,
    datasets: Object.keys(report.datasets),
    parameters: (report.parameters ?? []).map(({ name, label }) => ({ name, label: label ?? name })),
    pages: report.pages.map((page) => ({
      name: page.name,
      title: page.title,
      figures: page.figures
        .filter((figure) => figure.kind !== 'picker')
        .map(({ name, title, kind, at: place }) => ({ name, title, kind, width: place.width, height: place.height })),
    })),
  }));
}

/** What is needed of a board to draw it. */
export type DrawnBoard = Pick<BoardRow, 'name' | 'definition' | 'version' | 'writerId'>;

interface Shown {
  readonly figure: ViewedFigure;
  readonly result?: FigureResult;
  readonly view?: PreparedView;
}

const refused = (code: string, message: string): FigureResult => ({
  columns: [],
  rows: [],
  refused: { code, message },
});

/** Whether somebody may see a thing: by a right of their own, or let in to the place around by who may pass it on. */
async function isOpenTo(app: App, person: PersonViewer, { kind, name }: ThingId, around?: Place): Promise<boolean> {
  if ((await rightOn(app, person, kind, name)) !== undefined) return true;
  const giver = around?.admittedBy;
  return giver !== undefined && mayPassOn(await rightOn(app, giver, kind, name), 'view');
}

/** @throws {Refusal} `NOT_FOUND` */
async function requireOpen(app: App, person: PersonViewer, name: string, around?: Place): Promise<void> {
  if (await isOpenTo(app, person, { kind: 'board', name }, around)) return;
  await requireRight(app, person, 'view', 'board', name);
}

/** One figure of a board, as its reader may see it; what is wrong with it stands in its place. */
async function showFigure(
  app: App,
  viewer: Viewer,
  { definition: board, writerId }: DrawnBoard,
  one: BoardFigure,
  request: ViewRequest,
  around?: Place,
): Promise<Shown> {
  const from = { report: one.report, page: one.page, figure: one.figure };
  const title = one.title ?? one.figure;
  const bare: ViewedFigure = { kind: 'text', name: one.name, title, at: one.at, text: '', from };
  // What the reader may not see at all is not told apart from what is not there. What somebody was given who is no person
  // is looked up where limits are.
  if (viewer.kind === 'person' && !(await isOpenTo(app, viewer, { kind: 'report', name: one.report }, around)))
    return { figure: bare, result: refused('NOT_FOUND', 'You do not have access to the report of this figure.') };
  try {
    const view = await prepareBoardFigure(app, viewer, { board, writerId }, one, request, around);
    const source = view.viewing.page.figures[0]!;
    const { where: _where, link: _link, ...drawn } = source as typeof source & { where?: string; link?: object };
    // What the board fixes is said at the figure: no other place on the board speaks for it.
    const fixed = view.viewing.fixed.map((value) => parameterWords(value, view.taste.locale));
    const conditions = boardWords(view);
    const note = [...fixed, ...conditions].join(' · ');
    const figure: ViewedFigure = {
      ...drawn,
      name: one.name,
      title: one.title ?? source.title,
      at: one.at,
      from,
      ...(note ? { note } : {}),
    };
    const [asking] = dataFigures(view);
    return { figure, view, ...(asking ? { result: await readOne(app, view, asking) } : {}) };
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return { figure: bare, result: refused(error.code, error.message) };
  }
}

/** The board's own filters in words. */
function boardWords(view: PreparedView): string[] {
  const [asking] = dataFigures(view);
  const filter = asking && view.filterOf(asking);
  if (!filter || filter instanceof Refusal) return [];
  return filter
    .explain()
    .filter(
      (limit) =>
        limit.origin === 'placement' &&
        limit.name === view.viewing.placement?.name &&
        !view.viewing.fixed.some((value) => value.by === limit.name),
    )
    .map((limit) => limit.words);
}

/**
 * A board with all its figures, each under every rule of its dataset.
 *
 * @param around - the placement that it is shown in, whose limits apply too
 */
export async function viewBoard(
  app: App,
  person: PersonViewer,
  name: string,
  request: ViewRequest,
  around?: Place,
): Promise<ViewResponse<Date>> {
  await requireOpen(app, person, name, around);
  const row = await requireBoard(app, name);
  return metered(app, { board: name, person: person.email, ...(around ? { placement: around.name } : {}) }, () =>
    drawBoard(app, person, row, request, around),
  );
}

/** A board as its reader may see it; not counted as a look. */
export async function glanceAtBoard(
  app: App,
  person: PersonViewer,
  name: string,
  request: ViewRequest,
  around?: Place,
): Promise<ViewResponse<Date>> {
  await requireOpen(app, person, name, around);
  return drawBoard(app, person, await requireBoard(app, name), request, around);
}

/** A board as it is defined, with all its figures, each under every rule of its dataset; saved or not. */
export async function drawBoard(
  app: App,
  viewer: Viewer,
  row: DrawnBoard,
  request: ViewRequest,
  around?: Place,
): Promise<ViewResponse<Date>> {
  const { name, definition, version } = row;
  const shown = await Promise.all(definition.figures.map((one) => showFigure(app, viewer, row, one, request, around)));
  const origins = definition.frames ? await boardFrameOrigins(app) : [];
  const frames = definition.frames?.filter((one) => origins.includes(new URL(one.address).origin)) ?? [];
  const views = shown.flatMap((one) => one.view ?? []);
  const datasets = new Map(views.flatMap((view) => limitsOf(view).map((one) => [one.dataset, one] as const)));
  return {
    board: { name, version },
    title: around?.title ?? definition.title,
    pages: [],
    page: {
      name: 'board',
      title: definition.title,
      figures: figuresFor(
        shown.map((one) => one.figure),
        around?.look ?? {},
      ),
      ...(frames.length > 0 ? { frames } : {}),
    },
    ...(definition.theme ? { theme: definition.theme } : {}),
    ...(around?.look && Object.keys(around.look).length > 0 ? { look: around.look } : {}),
    parameters: [],
    datasets: [...datasets.values()].map((one) => ({
      ...one,
      limits: one.limits.filter(
        (limit) =>
          limit.origin === 'row rule' ||
          limit.origin === 'reader' ||
          (limit.origin === 'placement' && limit.name === around?.name),
      ),
    })),
    viewer: viewer.kind === 'person' ? viewer.name : viewer.clientId,
    taste: views[0]?.taste ?? { locale: app.settings.locale, timeZone: app.settings.timeZone },
    results: Object.fromEntries(
      shown.flatMap((one, i) => (one.result ? [[definition.figures[i]!.name, one.result]] : [])),
    ),
  };
}

/**
 * All figures of a board as somebody may see them, before any row is read.
 *
 * @throws {Refusal} what keeps one of them from its viewer
 */
export async function prepareBoard(
  app: App,
  viewer: Viewer,
  { definition: board, writerId }: DrawnBoard,
  request: ViewRequest,
  around: Place,
): Promise<PreparedView[]> {
  const views: PreparedView[] = [];
  for (const one of board.figures) {
    const view = await prepareBoardFigure(app, viewer, { board, writerId }, one, request, around);
    for (const figure of dataFigures(view)) {
      const filter = view.filterOf(figure);
      if (filter instanceof Refusal) throw filter;
    }
    views.push(view);
  }
  return views;
}

/** Every dataset that the reports behind a board's figures read. */
export async function boardDatasetNames(app: App, { figures }: BoardDefinition): Promise<string[]> {
  const reports = new Set(figures.map((one) => one.report));
  const definitions = (await currentDefinitions(app)).filter((one) => reports.has(one.name));
  return [...new Set(definitions.flatMap((one) => Object.keys(one.datasets)))];
}

/** The datasets that a board reads, for those who want to hear of changes. */
export async function boardDatasets(app: App, person: PersonViewer, name: string, around?: Place): Promise<string[]> {
  await requireOpen(app, person, name, around);
  const { definition, writerId } = await requireBoard(app, name);
  const names = new Set<string>();
  for (const one of definition.figures) {
    if (!(await isOpenTo(app, person, { kind: 'report', name: one.report }, around))) continue;
    const request = { choices: [], parameters: {} };
    const view = await prepareBoardFigure(app, person, { board: definition, writerId }, one, request).catch(
      (error: unknown) => {
        if (isRefusal(error)) return undefined;
        throw error;
      },
    );
    for (const figure of view ? dataFigures(view) : []) names.add(revisionFor(view!, figure).shape.name);
  }
  return [...names];
}
