import type { Choice, Mask, PersonViewer, RecordRule, Right, Viewer, Viewing } from '@underbell/core/access';
import type { BoardDefinition, BoardFigure } from '@underbell/core/board';
import type { ReaderTaste } from '@underbell/core/format';
import { Refusal, suggest } from '@underbell/core/refusal';
import {
  asksData,
  datasetNameOf,
  findFigure,
  findPage,
  isWithin,
  readParameters,
  sameParameterValue,
  type Figure,
  type Page,
  type ParameterValue,
  type RawParameters,
  type ReportDefinition,
} from '@underbell/core/report';
import { askForAccess, findPerson, limitsOn, noSuch, requireRight, rightOn } from '../access/index.ts';
import { readableRevision, type Revision } from '../dataset/index.ts';
import { giversOf, levelOf, type TokenViewer } from '../oauth/index.ts';
import { findPlacement, type Placement } from '../place/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition, listReports, type Edition } from '../report/index.ts';

/** What a reader asks for: the words of a viewer's address. */
export interface ViewRequest {
  readonly page?: string;
  readonly where?: string;
  readonly choices: readonly Choice[];
  /** Marks that were opened, figure by figure. */
  readonly drills?: readonly Choice[];
  /** Parameters whose defaults the reader took off. */
  readonly without?: readonly string[];
  /** The report's own parameters by name, raw. */
  readonly parameters: RawParameters;
  /** The reader's language as browsers tell it (RFC 9110, section 12.5.4). */
  readonly languages?: string;
}

/** A viewing with all that it reads from, before any row is read. */
export interface PreparedView {
  readonly edition: Edition;
  readonly viewing: Viewing;
  readonly revisions: ReadonlyMap<string, Revision>;
  readonly placement?: Placement;
  readonly taste: ReaderTaste;
  /** The viewer's own right on the report, where it was asked for already. */
  readonly right?: Right;
}

type Fixed = Viewing['fixed'];

export function fix(
  report: ReportDefinition,
  raw: RawParameters,
  origin: 'token' | 'placement',
  by: string,
  today: string,
): Fixed {
  return readParameters(report, raw, { today, isPartial: true }).map((value) => ({ ...value, origin, by }));
}

/** Under what a token or placement fixes a reader may choose, never beside it. */
function chosenParameters(
  report: ReportDefinition,
  { parameters: given, without }: ViewRequest,
  fixed: Fixed,
  today: string,
): ParameterValue[] {
  const known = Object.fromEntries(fixed.map((one) => [one.parameter.name, one.texts]));
  const all = readParameters(report, { ...known, ...given }, { today, ...(without ? { without } : {}) });
  return all.filter((value) => {
    const held = fixed.filter((one) => one.parameter.name === value.parameter.name);
    const outside = held.find((one) => !isWithin(value, one));
    if (outside) {
      throw new Refusal(
        'TOKEN_OUT_OF_BOUNDS',
        `\`${outside.parameter.name}\` is fixed by the ${outside.origin} and cannot be changed`,
        { pointer: outside.parameter.name, word: value.texts.join(', ') },
      );
    }
    return !held.some((one) => sameParameterValue(one, value));
  });
}

/** The datasets of a page as they stand now, or as a run is bound to them. */
export async function revisionsOf(
  app: App,
  report: ReportDefinition,
  page: Page,
  bound?: Readonly<Record<string, number>>,
): Promise<Map<string, Revision>> {
  const figures = page.figures.filter(asksData);
  const names = [...new Set(figures.map((figure) => datasetNameOf(report, figure.dataset)!))];
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
  /** Who wrote what stands in the place of a placement: a board. */
  readonly boardWriterId?: string | null;
  /** A record rule as if it were saved already; takes the place of the one of its name. */
  readonly draft?: RecordRule;
}

function withDraft(rules: readonly RecordRule[], draft: RecordRule | undefined): readonly RecordRule[] {
  if (draft === undefined) return rules;
  return [...rules.filter((one) => one.dataset !== draft.dataset || one.name !== draft.name), draft];
}

/** Those behind the stored conditions, looked up where masks could make a difference; null for who is not known or has left. */
async function writersOf(app: App, subject: Subject, masks: readonly Mask[]): Promise<Viewing['writers']> {
  if (masks.length === 0) return {};
  const { edition, placement, boardWriterId } = subject;
  const writer = async (id: string | null) => (id === null ? null : ((await findPerson(app, { id })) ?? null));
  const placed = placement ? placement.writerId : boardWriterId;
  return {
    report: await writer(edition.writerId),
    ...(placed === undefined ? {} : { placement: await writer(placed) }),
  };
}

/** A token reaches no more than those behind it: their limits apply beside its own. */
async function withGivers(app: App, viewer: Viewer, report: ReportDefinition): Promise<Viewer> {
  if (viewer.kind === 'person') return viewer;
  const { details } = viewer as TokenViewer;
  const wish = { report: report.name, level: levelOf(details), datasets: Object.keys(report.datasets) };
  return { ...viewer, givers: await giversOf(app, viewer as TokenViewer, wish) };
}

export async function prepare(app: App, subject: Subject): Promise<PreparedView> {
  const { edition, request, fixed, placement } = subject;
  const report = edition.definition;
  const viewer = await withGivers(app, subject.viewer, report);
  const page = findPage(report, request.page ?? placement?.page ?? undefined);
  const moment = momentOf(app);
  const chosen = chosenParameters(report, request, fixed, moment.today);
  const [{ rules, masks }, revisions] = await Promise.all([
    limitsOn(app, Object.keys(report.datasets)),
    revisionsOf(app, report, page),
  ]);
  const viewing: Viewing = {
    report,
    page,
    viewer,
    rules: withDraft(rules, subject.draft),
    masks,
    writers: await writersOf(app, subject, masks),
    ...(placement ? { place: placement.kind } : {}),
    moment,
    fixed,
    chosen,
    choices: request.choices,
    ...(placement ? { placement: { name: placement.name, where: placement.conditions } } : {}),
    ...(request.where === undefined ? {} : { where: request.where }),
  };
  const shapeOf = (figure: Figure) => {
    const name = 'dataset' in figure ? figure.dataset : undefined;
    return revisions.get(datasetNameOf(report, name) ?? '')?.shape;
  };
  return {
    edition,
    viewing: { ...viewing, shapeOf, ...(request.drills ? { drills: request.drills } : {}) },
    revisions,
    ...(placement ? { placement } : {}),
    taste: { locale: readerLocale(request.languages, app.settings.locale), timeZone: app.settings.timeZone },
  };
}

/** The first language that a reader asks for and dates can be written in. */
function readerLocale(languages: string | undefined, usual: string): string {
  for (const part of (languages ?? '').split(',')) {
    const tag = part.split(';')[0]!.trim();
    if (!/^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*$/.test(tag)) continue;
    const [known] = Intl.DateTimeFormat.supportedLocalesOf([tag]);
    if (known) return known;
  }
  return usual;
}

export function tokenBounds(
  viewer: TokenViewer,
  report: ReportDefinition,
  page: string | undefined,
  today: string,
): Fixed {
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
  return fix(report, details.parameters ?? {}, 'token', viewer.clientId, today);
}

/**
 * A client with origins shows what its tokens open in pages of those alone. Which page asks only the browser knows, and it
 * lets no page frame a placement that the placement does not name: so every page that it names must be one of the client's.
 */
function checkHosts({ origins = [] }: TokenViewer, placement: Placement): void {
  if (origins.length === 0) return;
  const other = placement.origins.find((one) => !origins.includes(one));
  if (other === undefined && placement.origins.length > 0) return;
  throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token may not be used in this placement', {
    hint: 'pages may show the placement that are not among those of the program',
  });
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
  const right = who.person && (await rightOn(app, who.person, 'report', placement.reportName));
  // Neither its report nor that it is there is told to whom it is not for.
  if (who.person && right === undefined) throw noSuch('placement', name, []);
  if (!who.person && who.client?.details.report !== placement.reportName)
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token is for another report');
  if (who.client?.details.placement !== undefined && who.client.details.placement !== name)
    throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token is for another placement');
  if (who.client) checkHosts(who.client, placement);
  const edition = await findEdition(app, placement.reportName, placement.editionNumber ?? undefined);
  const report = edition.definition;
  const page = request.page ?? placement.page ?? undefined;
  const { today } = momentOf(app);
  const token = who.client ? tokenBounds(who.client, report, page, today) : [];
  const own = fix(report, placement.parameters, 'placement', placement.name, today);
  const viewer = (who.client ?? who.person)!;
  const view = await prepare(app, { viewer, edition, request, fixed: [...token, ...own], placement });
  return { ...view, ...(right ? { right } : {}) };
}

/** A report as one person sees it in full. */
export async function prepareReport(
  app: App,
  name: string,
  person: PersonViewer,
  request: ViewRequest,
): Promise<PreparedView> {
  const right = await requireRight(app, person, 'view', 'report', name);
  return {
    ...(await prepare(app, { viewer: person, edition: await findEdition(app, name), request, fixed: [] })),
    right,
  };
}

/** One figure of a board, alone on its page, under the board's own fixed filter and values. */
export async function prepareBoardFigure(
  app: App,
  person: PersonViewer,
  { board, writerId }: { readonly board: BoardDefinition; readonly writerId: string | null },
  figure: BoardFigure,
  request: ViewRequest,
): Promise<PreparedView> {
  const edition = await findEdition(app, figure.report);
  const report = edition.definition;
  const page = findPage(report, figure.page);
  const alone = { ...page, figures: [findFigure(page, figure.figure)] };
  const { today } = momentOf(app);
  const pages = report.pages.map((one) => (one === page ? alone : one));
  const view = await prepare(app, {
    viewer: person,
    edition: { ...edition, definition: { ...report, pages } },
    request: { ...request, page: figure.page },
    fixed: fix(report, figure.parameters ?? {}, 'placement', board.title, today),
    boardWriterId: writerId,
  });
  return { ...view, viewing: { ...view.viewing, placement: { name: board.title, where: figure.where ?? {} } } };
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
    { report: report ?? wish.placement ?? '', words, ...(wish.placement ? { placement: wish.placement } : {}) },
    exists,
    origin,
  );
}
