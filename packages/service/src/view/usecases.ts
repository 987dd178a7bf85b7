import { createHash } from 'node:crypto';
import {
  effectiveFilterOf,
  viewerName,
  type Choice,
  type EffectiveFilter,
  type PersonViewer,
  type RecordRule,
  type Viewer,
  type Viewing,
} from '@underbell/core/access';
import { isRefusal, Refusal, suggest } from '@underbell/core/refusal';
import {
  datasetNameOf,
  findPage,
  planFigureQuery,
  readParameters,
  type DataFigure,
  type FigureResult,
  type Page,
  type ParameterValue,
  type ReportDefinition,
} from '@underbell/core/report';
import { askForAccess, limitsOn, noSuch, requireRight } from '../access/index.ts';
import { readableRevision, readFigure, type Revision } from '../dataset/index.ts';
import type { TokenViewer } from '../oauth/index.ts';
import { findPlacement, type Placement } from '../place/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition, listReports, type Edition } from '../report/index.ts';

/** What a reader asks for: the words of a viewer's address. */
export interface ViewRequest {
  readonly page?: string;
  readonly where?: string;
  readonly choices: readonly Choice[];
  /** The report's own parameters by name, raw. */
  readonly parameters: Readonly<Record<string, string>>;
}

/** A viewing with all that it reads from, before any row is read. */
export interface PreparedView {
  readonly edition: Edition;
  readonly viewing: Viewing;
  readonly revisions: ReadonlyMap<string, Revision>;
  readonly placement?: Placement;
}

type Fixed = Viewing['fixed'];

export function fix(
  report: ReportDefinition,
  raw: Readonly<Record<string, string>>,
  origin: 'token' | 'placement',
  by: string,
): Fixed {
  const optional = { ...report, parameters: report.parameters?.map((one) => ({ ...one, required: false })) };
  return readParameters(optional, raw).map((value) => ({ ...value, origin, by }));
}

/** A reader may not set again what a token or placement fixes, unless to the same value. */
function chosenParameters(
  report: ReportDefinition,
  given: Readonly<Record<string, string>>,
  fixed: Fixed,
): ParameterValue[] {
  const known = Object.fromEntries(fixed.map((one) => [one.parameter.name, one.raw]));
  const all = readParameters(report, { ...known, ...given });
  return all.filter((value) => {
    const held = fixed.find((one) => one.parameter.name === value.parameter.name);
    if (held && held.value !== value.value) {
      throw new Refusal(
        'TOKEN_OUT_OF_BOUNDS',
        `\`${held.parameter.name}\` is fixed by the ${held.origin} and cannot be changed`,
        { pointer: held.parameter.name, word: value.raw },
      );
    }
    return !held;
  });
}

/** Every figure that shows data, with its dataset. */
function dataFigures(page: Page): DataFigure[] {
  return page.figures.filter((figure): figure is DataFigure => figure.kind !== 'text');
}

/** The datasets of a page as they stand now, or as a run is bound to them. */
export async function revisionsOf(
  app: App,
  report: ReportDefinition,
  page: Page,
  bound?: Readonly<Record<string, number>>,
): Promise<Map<string, Revision>> {
  const names = [...new Set(dataFigures(page).map((figure) => datasetNameOf(report, figure.dataset)!))];
  const entries = await Promise.all(
    names.map(async (name) => [name, await readableRevision(app, name, bound?.[name])] as const),
  );
  return new Map(entries);
}

/** Who looks at what, before limits are looked up. */
export interface Subject {
  readonly viewer: Viewer;
  readonly edition: Edition;
  readonly request: ViewRequest;
  readonly fixed: Fixed;
  readonly placement?: Placement;
  /** A record rule as if it were saved already; takes the place of the one of its name. */
  readonly draft?: RecordRule;
}

function withDraft(rules: readonly RecordRule[], draft: RecordRule | undefined): readonly RecordRule[] {
  if (draft === undefined) return rules;
  return [...rules.filter((one) => one.dataset !== draft.dataset || one.name !== draft.name), draft];
}

export async function prepare(app: App, subject: Subject): Promise<PreparedView> {
  const { viewer, edition, request, fixed, placement } = subject;
  const report = edition.definition;
  const page = findPage(report, request.page ?? placement?.page ?? undefined);
  const chosen = chosenParameters(report, request.parameters, fixed);
  const { rules, masks } = await limitsOn(app, Object.keys(report.datasets));
  const viewing: Viewing = {
    report,
    page,
    viewer,
    rules: withDraft(rules, subject.draft),
    masks,
    ...(placement ? { place: placement.kind } : {}),
    moment: momentOf(app),
    fixed,
    chosen,
    choices: request.choices,
    ...(placement ? { placement: { name: placement.name, where: placement.conditions } } : {}),
    ...(request.where === undefined ? {} : { where: request.where }),
  };
  return { edition, viewing, revisions: await revisionsOf(app, report, page), ...(placement ? { placement } : {}) };
}

export function tokenBounds(viewer: TokenViewer, report: ReportDefinition, page: string | undefined): Fixed {
  const { details } = viewer;
  if (details.report !== report.name)
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token is for another report');
  if (!details.actions.includes('view'))
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token does not allow viewing');
  const shown = page ?? report.pages[0]!.name;
  if (details.pages && !details.pages.includes(shown)) {
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', `the access token does not reach the page \`${shown}\``, {
      pointer: 'page',
      word: shown,
      ...suggest(shown, details.pages),
    });
  }
  return fix(report, details.parameters ?? {}, 'token', viewer.clientId);
}

/** A placement as its visitor may see it: by access token, or by the visitor's own right on the report. */
export async function preparePlacement(
  app: App,
  name: string,
  who: { person?: PersonViewer; client?: TokenViewer },
  request: ViewRequest,
): Promise<PreparedView> {
  const placement = await findPlacement(app, name);
  if (!placement) throw noSuch('placement', name, []);
  if (who.person) await requireRight(app, who.person, 'view', 'report', placement.reportName);
  else if (who.client?.details.report !== placement.reportName)
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token is for another report');
  if (who.client?.details.placement !== undefined && who.client.details.placement !== name)
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token is for another placement');
  const edition = await findEdition(app, placement.reportName);
  const report = edition.definition;
  const page = request.page ?? placement.page ?? undefined;
  const token = who.client ? tokenBounds(who.client, report, page) : [];
  const own = fix(report, placement.parameters, 'placement', placement.name);
  return prepare(app, { viewer: (who.client ?? who.person)!, edition, request, fixed: [...token, ...own], placement });
}

/** A report as one person sees it in full. */
export async function prepareReport(
  app: App,
  name: string,
  person: PersonViewer,
  request: ViewRequest,
): Promise<PreparedView> {
  await requireRight(app, person, 'view', 'report', name);
  return prepare(app, { viewer: person, edition: await findEdition(app, name), request, fixed: [] });
}

/** Changes whenever anything that the answer is made of does. */
export function viewTag(view: PreparedView): string {
  const { edition, viewing, revisions } = view;
  const filters = dataFigures(viewing.page).map((figure) => {
    const { where, masking } = effectiveFilterOf(viewing, shapeFor(view, figure), figure);
    return [where, [...masking.hidden], [...masking.coarse], masking.minRows];
  });
  const parts = [
    edition.number,
    viewing.report.name,
    viewing.page.name,
    [...revisions.values()].map((one) => one.id),
    filters,
    viewerName(viewing.viewer),
  ];
  return `"${createHash('sha256').update(JSON.stringify(parts)).digest('base64url').slice(0, 27)}"`;
}

function revisionFor(view: PreparedView, figure: DataFigure): Revision {
  return view.revisions.get(datasetNameOf(view.viewing.report, figure.dataset)!)!;
}

function shapeFor(view: PreparedView, figure: DataFigure) {
  return revisionFor(view, figure).shape;
}

/** Answers of every figure of the page. */
export async function readFigures(app: App, view: PreparedView): Promise<Map<string, FigureResult>> {
  const { viewing } = view;
  const entries = await Promise.all(
    dataFigures(viewing.page).map(async (figure) => {
      const revision = revisionFor(view, figure);
      const filter = effectiveFilterOf(viewing, revision.shape, figure);
      const answer = await orRefused(() =>
        readFigure(app, { lane: 'readers', revision, filter }, planFigureQuery(viewing.report, figure, filter.visible)),
      );
      return [figure.name, answer] as const;
    }),
  );
  return new Map(entries);
}

/** A figure that a mask keeps from its viewer says so in its place; the rest of the page stands. */
export async function orRefused(read: () => Promise<FigureResult>): Promise<FigureResult> {
  try {
    return await read();
  } catch (error) {
    if (!isRefusal(error, 'COLUMN_HIDDEN') && !isRefusal(error, 'GROUPS_TOO_SMALL')) throw error;
    return { columns: [], rows: [], refused: { code: error.code, message: error.message } };
  }
}

/** Each dataset's limits in words. */
function limitsOf(view: PreparedView) {
  return [...view.revisions.values()].map((revision) => ({
    dataset: revision.shape.name,
    revision: revision.number,
    loadedAt: revision.loadedAt,
    ...limitsIn(effectiveFilterOf(view.viewing, revision.shape)),
  }));
}

/** What limits rows and what is masked, in words. */
function limitsIn(filter: EffectiveFilter) {
  return { limits: filter.explain(), masks: filter.masking.words };
}

/** The whole answer that a viewer draws. */
export async function showView(app: App, view: PreparedView) {
  const { viewing, edition, placement } = view;
  const { report, page } = viewing;
  const { viewer } = viewing;
  const allowed = viewer.kind === 'client' ? (viewer as TokenViewer).details?.pages : undefined;
  const results = await readFigures(app, view);
  return {
    report: { name: report.name, title: report.title, edition: edition.number },
    title: placement?.title ?? report.title,
    pages: report.pages
      .filter((one) => !allowed || allowed.includes(one.name))
      .map(({ name, title }) => ({ name, title })),
    page: { name: page.name, title: page.title, figures: page.figures.map(withoutFilters) },
    parameters: (report.parameters ?? []).map(({ name, label, type }) => ({ name, label: label ?? name, type })),
    datasets: limitsOf(view),
    viewer: viewerName(viewer),
    taste: { locale: app.settings.locale, timeZone: app.settings.timeZone },
    results: Object.fromEntries(results),
  };
}

/** A viewer draws figures; what their filters say stays here. */
function withoutFilters<T extends object>(figure: T): Omit<T, 'where'> {
  const { where: _, ...shown } = figure as T & { where?: string };
  return shown;
}

/** Asks for a report by its name or by a placement of it. */
export async function askForReport(
  app: App,
  person: PersonViewer,
  wish: { report?: string; placement?: string; words: string },
  origin: string,
): Promise<void> {
  const placement = wish.placement === undefined ? undefined : await findPlacement(app, wish.placement);
  const report = wish.report ?? placement?.reportName;
  const names = (await listReports(app)).map((one) => one.name);
  const exists = report !== undefined && names.includes(report);
  const { words } = wish;
  await askForAccess(
    app,
    person,
    { report: report ?? '', words, ...(placement ? { placement: placement.name } : {}) },
    exists,
    origin,
  );
}
