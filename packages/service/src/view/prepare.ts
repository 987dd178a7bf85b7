import {
  effectiveFilterOf,
  type Choice,
  type EffectiveFilter,
  type Mask,
  type PersonViewer,
  type PlaceKind,
  type RowRule,
  type Right,
  type TokenViewer,
  type Viewer,
  type Viewing,
} from '@underbell/core/access';
import type { FormatOptions } from '@underbell/core/format';
import { masksOf, type ColumnSwaps, type PlacementLook } from '@underbell/core/placement';
import { isRefusal, Refusal, suggest, type RefusalCode } from '@underbell/core/refusal';
import {
  asksData,
  datasetNameOf,
  findFigure,
  findPage,
  isWithin,
  readParameters,
  sameParameterValue,
  type DataFigure,
  type Figure,
  type Page,
  type ParameterValue,
  type RawParameters,
  type ReportDefinition,
} from '@underbell/core/report';
import { findPerson, giversOf, grantorsOfScreen, levelOf, limitsOn, requireRight } from '../access/index.ts';
import { readableRevision, type Revision } from '../dataset/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition, type Edition } from '../report/index.ts';

/** Where somebody looks at a report, with what that place sets for everybody. */
export interface Place {
  /** In limits: where they come from. */
  readonly name: string;
  /** Shown instead of the report's own. */
  readonly title?: string;
  /** Masks may be for one kind of places. */
  readonly kind?: PlaceKind;
  /** CQL2 text by dataset. */
  readonly where: Readonly<Record<string, string>>;
  /** Columns that it shows as others. */
  readonly swaps?: ColumnSwaps;
  /** The page that it begins with. */
  readonly page?: string;
  readonly look?: PlacementLook;
  /** The placement around a board, whose own limits these are. */
  readonly around?: Pick<Place, 'name' | 'where' | 'writerId'>;
  /** Who let those in who have no right of their own on what is shown, and can pass on what they see. */
  readonly admittedBy?: PersonViewer;
  /** Who wrote its conditions; null where that is not known. */
  readonly writerId: string | null;
}

/** What a reader asks for: the words of a viewer's address. */
export interface ViewRequest {
  readonly page?: string;
  readonly where?: string;
  readonly choices: readonly Choice[];
  /** Marks that were opened, figure by figure. */
  readonly drills?: readonly Choice[];
  /** Parameters whose defaults the reader took off. */
  readonly without?: readonly string[];
  /** Fields of the record beside it, by name; a token has its own. */
  readonly record?: Readonly<Record<string, string>>;
  /** The report's own parameters by name, raw. */
  readonly parameters: RawParameters;
  /** The reader's language as browsers tell it (RFC 9110, section 12.5.4). */
  readonly languages?: readonly string[];
}

/** A viewing with all that it reads from, before any row is read. */
export interface PreparedView {
  readonly edition: Edition;
  readonly viewing: Viewing;
  readonly revisions: ReadonlyMap<string, Revision>;
  /** The effective filter of a figure, or why it has none; each is found once. @throws {Refusal} for what is wrong with the whole page */
  readonly filterOf: (figure: DataFigure) => EffectiveFilter | Refusal;
  readonly place?: Place;
  readonly taste: FormatOptions;
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
        'TOKEN_SCOPE_EXCEEDED',
        `Parameter “${outside.parameter.name}” is fixed by the ${outside.origin} and cannot be changed.`,
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
  readonly place?: Place;
  /** A row rule as if it were saved already; takes the place of the one of its name. */
  readonly draft?: RowRule;
}

function withDraft(rules: readonly RowRule[], draft: RowRule | undefined): readonly RowRule[] {
  if (draft === undefined) return rules;
  return [...rules.filter((one) => one.dataset !== draft.dataset || one.name !== draft.name), draft];
}

/** Those behind the stored conditions, looked up where masks could make a difference; null for who is not known or has left. */
async function writersOf(app: App, subject: Subject, masks: readonly Mask[]): Promise<Viewing['writers']> {
  if (masks.length === 0) return {};
  const { edition, place } = subject;
  const writer = async (id: string | null) => (id === null ? null : ((await findPerson(app, { id })) ?? null));
  return {
    report: await writer(edition.writerId),
    ...(place ? { placement: await writer(place.writerId) } : {}),
  };
}

/** The limits of a placement around a board, with who wrote them where masks could make a difference. */
async function limitsAround(
  app: App,
  { name, where, writerId }: NonNullable<Place['around']>,
  masks: readonly Mask[],
): Promise<NonNullable<Viewing['around']>> {
  if (masks.length === 0) return { name, where };
  return { name, where, writer: writerId === null ? null : ((await findPerson(app, { id: writerId })) ?? null) };
}

/** A token reaches no more than those behind it: their limits apply beside its own. */
async function withGivers(app: App, viewer: Viewer, report: ReportDefinition): Promise<Viewer> {
  if (viewer.kind === 'person') return viewer;
  const { details } = viewer as TokenViewer;
  const datasets = Object.keys(report.datasets);
  if (viewer.screen)
    return { ...viewer, givers: await grantorsOfScreen(app, viewer.screen, { report: report.name, datasets }) };
  const wish = { report: report.name, level: levelOf(details), datasets };
  return { ...viewer, givers: await giversOf(app, viewer as TokenViewer, wish) };
}

/** What keeps a single figure from its viewer while the rest of the page stands. */
const masked: readonly RefusalCode[] = ['COLUMN_HIDDEN', 'GROUPS_TOO_SMALL'];
/** A limit that does not fit a dataset: its figures refuse, unless it fits no dataset of the page at all. */
export const misfits: readonly RefusalCode[] = ['FILTER_UNKNOWN_COLUMN', 'SHARED_KEY_MISSING'];

/** @throws whatever does not concern a single figure */
export function refusalOf(error: unknown): Refusal {
  if (isRefusal(error) && [...masked, ...misfits].includes(error.code)) return error;
  throw error;
}

export const revisionFor = (
  { viewing, revisions }: Pick<PreparedView, 'viewing' | 'revisions'>,
  figure: DataFigure,
): Revision => revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;

function filtersOf(viewing: Viewing, revisions: PreparedView['revisions']): PreparedView['filterOf'] {
  const known = new Map<string, EffectiveFilter | Refusal>();
  const find = (figure: DataFigure) => {
    try {
      return effectiveFilterOf(viewing, revisionFor({ viewing, revisions }, figure).shape, figure);
    } catch (error) {
      return refusalOf(error);
    }
  };
  return (figure) => {
    const found = known.get(figure.name) ?? find(figure);
    known.set(figure.name, found);
    return found;
  };
}

/** Looks up everything that an answer is made of, before any row is read. */
export async function prepare(app: App, subject: Subject): Promise<PreparedView> {
  const { edition, request, fixed, place } = subject;
  const report = edition.definition;
  const viewer = await withGivers(app, subject.viewer, report);
  const page = findPage(report, request.page ?? place?.page);
  for (const { figure } of request.drills ?? []) findFigure(page, figure);
  const moment = momentOf(app);
  const chosen = chosenParameters(report, request, fixed, moment.today);
  const [{ rules, masks: saved }, revisions] = await Promise.all([
    limitsOn(app, Object.keys(report.datasets)),
    revisionsOf(app, report, page),
  ]);
  const masks =
    place?.kind && place.swaps ? [...saved, ...masksOf(place.title ?? place.name, place.kind, place.swaps)] : saved;
  const viewing: Viewing = {
    report,
    page,
    viewer,
    rules: withDraft(rules, subject.draft),
    masks,
    writers: await writersOf(app, subject, masks),
    ...(place?.kind ? { place: place.kind } : {}),
    ...(request.record ? { record: request.record } : {}),
    moment,
    fixed,
    chosen,
    choices: request.choices,
    ...(request.without ? { without: request.without } : {}),
    ...(place ? { placement: { name: place.name, where: place.where } } : {}),
    ...(place?.around ? { around: await limitsAround(app, place.around, masks) } : {}),
    ...(request.where === undefined ? {} : { where: request.where }),
  };
  const shapeOf = (figure: Figure) => {
    const name = 'dataset' in figure ? figure.dataset : undefined;
    return revisions.get(datasetNameOf(report, name) ?? '')?.shape;
  };
  const whole: Viewing = { ...viewing, shapeOf, ...(request.drills ? { drills: request.drills } : {}) };
  return {
    edition,
    viewing: whole,
    revisions,
    filterOf: filtersOf(whole, revisions),
    ...(place ? { place } : {}),
    taste: { locale: readerLocale(request.languages, app.settings.locale), timeZone: app.settings.timeZone },
  };
}

/** The first language that a reader asks for and dates can be written in. */
function readerLocale(languages: readonly string[] = [], usual: string): string {
  for (const tag of languages) {
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
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'The access token is for another report.');
  if (!details.actions.includes('view'))
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'This access token does not allow viewing.');
  const shown = page ?? report.pages[0]!.name;
  if (details.pages && !details.pages.includes(shown)) {
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', `This access token does not include page “${shown}”.`, {
      pointer: 'page',
      word: shown,
      ...suggest(shown, details.pages),
    });
  }
  return fix(report, details.parameters ?? {}, 'token', viewer.clientId, today);
}

/** A report as one person sees it in full. */
export async function prepareReport(
  app: App,
  name: string,
  person: PersonViewer,
  request: ViewRequest,
): Promise<PreparedView> {
  const right = await requireRight(app, person, 'view', 'report', name);
  if (request.record !== undefined)
    throw new Refusal('INPUT_INVALID', 'A report cannot be opened with a record.', {
      pointer: 'record',
      hint: 'Use a placement with a record filter.',
    });
  return {
    ...(await prepare(app, { viewer: person, edition: await findEdition(app, name), request, fixed: [] })),
    right,
  };
}
