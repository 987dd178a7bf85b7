import {
  effectiveFilterOf,
  readAuthorizationDetails,
  viewerName,
  type EffectiveFilter,
  type PersonViewer,
  type RowRule,
  type ReportViewDetails,
  type Right,
  type TokenViewer,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { requireAuthor, findPerson, listPeople, notFound, requireRight, rightOn } from '../access/index.ts';
import { checkedRule, type GivenRule } from '../rule/index.ts';
import { countBetween } from '../dataset/index.ts';
import { boardDatasetNames, checkBoard, drawBoard } from '../board/index.ts';
import { checkDetails, describeToken, requireClient } from '../token/index.ts';
import { shownEdition, findPlacement, placementInfo } from '../placement/index.ts';
import { isThing, momentOf, type App } from '../platform/index.ts';
import { checkReport, findEdition, type Edition } from '../report/index.ts';
import {
  explainLimits,
  fix,
  mayLookAtRows,
  prepare,
  sceneOf,
  showView,
  tokenBounds,
  type PreparedView,
  type Subject,
  type ViewRequest,
} from '../view/index.ts';
import { type SeenDifference, type SeenView, type SeenReport } from '@underbell/core/preview';
import type { ViewResponse } from '@underbell/core/view';

/** Through whose eyes: a person's, a client's with what it would ask for, or those of a token that was handed out; in a placement or not. */
export interface PreviewResult {
  readonly person?: string;
  readonly client?: string;
  /** Of an access token that it would ask for, as they are given; checked like those. */
  readonly details?: object;
  readonly token?: string;
  readonly placement?: string;
}

export interface PreviewAsRequest {
  readonly report: string;
  readonly as: PreviewResult;
  /** A second viewer, to compare with. */
  readonly and?: PreviewResult;
  readonly request: ViewRequest;
  /** A rule to be tried before it is saved. */
  readonly draft?: GivenRule;
}

async function personNamed(app: App, email: string): Promise<PersonViewer> {
  const person = await findPerson(app, { email });
  if (person) return person;
  const known = (await listPeople(app)).map((one) => one.email);
  throw notFound('person', email, known);
}

async function clientViewer(app: App, asker: PersonViewer, report: string, as: PreviewResult): Promise<TokenViewer> {
  if (as.token !== undefined) {
    const viewer = await describeToken(app, as.token);
    if (viewer.details.report !== report) throw notFound('token', as.token, []);
    return viewer;
  }
  const client = await requireClient(app, asker, as.client!);
  const asked = { type: 'report_view', report, actions: ['view'], ...as.details };
  const details = readAuthorizationDetails([asked]) as ReportViewDetails;
  await checkDetails(app, details);
  const person = details.person === undefined ? undefined : await personNamed(app, details.person);
  return {
    kind: 'client',
    clientId: client.id,
    tokenId: '',
    where: details.where ?? {},
    details,
    expiresAt: 0,
    giverId: null,
    ...(details.placement ? { placement: details.placement } : {}),
    ...(details.context ? { context: details.context } : {}),
    ...(person ? { person } : {}),
  };
}

interface Seen {
  readonly view: PreparedView;
  readonly right: Right | undefined;
  readonly who: { readonly kind: 'person' | 'client'; readonly name: string; readonly person?: PersonViewer };
}

async function seeThrough(
  app: App,
  asker: PersonViewer,
  edition: Edition,
  as: PreviewResult,
  options: Omit<PreviewAsRequest, 'draft'> & { readonly draft?: RowRule },
): Promise<Seen> {
  const { report, request, draft } = options;
  const isClient = as.client !== undefined || as.token !== undefined;
  if (isClient === (as.person !== undefined))
    throw new Refusal('INPUT_INVALID', 'Specify either a user, or a client or token.', { pointer: '/as' });
  const placement = as.placement === undefined ? undefined : await findPlacement(app, as.placement);
  if (as.placement !== undefined && placement?.reportName !== report) throw notFound('placement', as.placement, []);
  const viewer = isClient ? await clientViewer(app, asker, report, as) : await personNamed(app, as.person!);
  const shown = placement ? shownEdition(edition, placement) : edition;
  const page = request.page ?? (placement ? placementInfo(placement).page : undefined);
  const { today } = momentOf(app);
  const token = viewer.kind === 'client' ? tokenBounds(viewer as TokenViewer, shown.definition, page, today) : [];
  const own = placement ? fix(shown.definition, placement.parameters, 'placement', placement.name, today) : [];
  const subject: Subject = {
    viewer,
    edition: shown,
    request,
    fixed: [...token, ...own],
    ...(placement ? { place: placementInfo(placement) } : {}),
    ...(draft ? { draft } : {}),
  };
  const right: Right | undefined =
    viewer.kind === 'person'
      ? await rightOn(app, viewer, 'report', report)
      : { level: 'view', because: `may view: access token of ${viewer.clientId}` };
  const person = viewer.kind === 'person' ? viewer : viewer.person;
  const who = { kind: viewer.kind, name: viewerName(viewer), ...(person ? { person } : {}) };
  return { view: await prepare(app, subject), right, who };
}

/** @param isOwn - the asker looks through the own eyes: nothing is withheld, and nothing of others is counted */
async function describe(app: App, asker: PersonViewer, seen: Seen, isOwn = false): Promise<SeenView<Date>> {
  const { view, right, who } = seen;
  const { viewing } = view;
  const isOpen = isOwn || (await mayLookAtRows(app, asker, view.revisions.keys()));
  const datasets = await Promise.all(
    [...view.revisions.values()].map((revision) =>
      explainLimits(app, revision, effectiveFilterOf(viewing, revision.shape), isOwn ? 'own' : isOpen ? 'all' : 'none'),
    ),
  );
  const shown = right !== undefined && isOpen ? await showView(app, view) : undefined;
  const { person } = who;
  return {
    page: viewing.page.name,
    as: {
      kind: who.kind,
      name: who.name,
      ...(person ? { email: person.email, groups: person.groups, attributes: person.attributes } : {}),
      ...(view.place ? { placement: view.place.name } : {}),
    },
    right: right ?? { level: 'none', because: `${who.name} has no permission on this report` },
    datasets,
    ...(isOpen ? {} : { withheld: 'Figures and counts are shown only to users with “edit” on the datasets.' }),
    view: shown,
    figures: shown?.page.figures ?? [],
    results: shown?.results ?? {},
  };
}

/** How two viewers differ: rows that both see and that only one sees, and what differs in words. */
async function compare(app: App, asker: PersonViewer, first: Seen, second: Seen): Promise<SeenDifference[]> {
  const words = (filter: EffectiveFilter) => [
    ...filter.explain().map((one) => `${one.origin}: ${one.words}`),
    ...filter.masking.words.map((one) => `mask: ${one.words}`),
  ];
  const isOpen = await mayLookAtRows(app, asker, first.view.revisions.keys());
  return Promise.all(
    [...first.view.revisions.values()].map(async (revision) => {
      const [a, b] = [first, second].map((one) => effectiveFilterOf(one.view.viewing, revision.shape)) as [
        EffectiveFilter,
        EffectiveFilter,
      ];
      const request = (filter: EffectiveFilter) => ({ lane: 'readers' as const, revision, filter });
      const [wordsOfA, wordsOfB] = [words(a), words(b)];
      return {
        dataset: revision.shape.name,
        ...(isOpen ? await countBetween(app, request(a), request(b)) : {}),
        onlyFirstLimits: wordsOfA.filter((one) => !wordsOfB.includes(one)),
        onlySecondLimits: wordsOfB.filter((one) => !wordsOfA.includes(one)),
      };
    }),
  );
}

/**
 * What somebody else would see of a report: each limit with its origin and the rows left after it, the page itself, and
 * how it differs from what a second viewer sees.
 *
 * @throws {Refusal} `NOT_ALLOWED` unless the asker may edit the report
 */
export async function previewAs(app: App, asker: PersonViewer, options: PreviewAsRequest): Promise<SeenReport<Date>> {
  await requireRight(app, asker, 'edit', 'report', options.report);
  const edition = await findEdition(app, options.report);
  if (options.draft) await requireRight(app, asker, 'edit', 'dataset', options.draft.dataset);
  const draft = options.draft && (await checkedRule(app, options.draft));
  const checked = { ...options, draft };
  const first = await seeThrough(app, asker, edition, options.as, checked);
  const described = { report: options.report, ...(await describe(app, asker, first)) };
  if (options.and === undefined) return described;
  const second = await seeThrough(app, asker, edition, options.and, checked);
  return {
    ...described,
    and: await describe(app, asker, second),
    difference: await compare(app, asker, first, second),
  };
}

/** What somebody wants to see of a definition that is not published; their own eyes when left out. */
export interface PreviewRequest {
  readonly definition: unknown;
  readonly as?: string;
  readonly request: ViewRequest;
}

/** @throws {Refusal} `REPORT_INVALID` with every problem, `NOT_ALLOWED` for who may not publish it */
async function seenDraft(
  app: App,
  asker: PersonViewer,
  wish: PreviewRequest,
): Promise<Seen & { readonly isOwn: boolean }> {
  const definition = await checkReport(app, asker, wish.definition);
  const { name } = definition;
  if (await isThing(app, { kind: 'report', name })) await requireRight(app, asker, 'edit', 'report', name);
  else await requireAuthor(app, asker, 'report');
  const edition: Edition = {
    number: 0,
    definition,
    writerId: asker.id,
    publishedBy: asker.name,
    publishedAt: new Date(app.now()),
  };
  const isOwn = wish.as === undefined || wish.as === asker.email;
  const as = { person: wish.as ?? asker.email };
  return { ...(await seeThrough(app, asker, edition, as, { report: name, as, request: wish.request })), isOwn };
}

/**
 * A definition that is not published, drawn with real data: as its author sees it, or as somebody else would once they have a
 * right on it, as far as the author may know that.
 *
 * @throws {Refusal} `REPORT_INVALID` with every problem, `NOT_ALLOWED` for who may not publish it
 */
export async function previewReport(app: App, asker: PersonViewer, wish: PreviewRequest): Promise<SeenReport<Date>> {
  const { isOwn, ...found } = await seenDraft(app, asker, wish);
  const right: Right = { level: 'view', because: 'would see this after it is published, with a permission on it' };
  const { name: report } = found.view.viewing.report;
  return { report, ...(await describe(app, asker, { ...found, right }, isOwn)) };
}

/**
 * The same as it would be printed: a PDF.
 *
 * @throws {Refusal} as above, and `NOT_ALLOWED` for somebody else's eyes where the asker may not look at the rows
 */
export async function printPreview(app: App, asker: PersonViewer, wish: PreviewRequest): Promise<Buffer> {
  const { view, isOwn } = await seenDraft(app, asker, wish);
  await requireRows(app, asker, isOwn, view.revisions.keys());
  const { drawPdf } = await import('../render/index.ts');
  return drawPdf(await sceneOf(app, view, undefined));
}

async function requireRows(app: App, asker: PersonViewer, isOwn: boolean, datasets: Iterable<string>): Promise<void> {
  if (isOwn || (await mayLookAtRows(app, asker, datasets))) return;
  throw new Refusal('NOT_ALLOWED', 'Figures are shown only to users with “edit” on the datasets.');
}

/**
 * A board that is not saved, drawn with real data: as its author sees it, or as somebody else would.
 *
 * @throws {Refusal} `BOARD_INVALID` with every problem, `NOT_ALLOWED` for who may not save it or not look at the rows
 */
export async function previewBoard(
  app: App,
  asker: PersonViewer,
  wish: { readonly definition: unknown; readonly as?: string; readonly languages?: readonly string[] },
): Promise<ViewResponse<Date>> {
  const board = await checkBoard(app, asker, wish.definition);
  const { name, title } = board;
  if (await isThing(app, { kind: 'board', name })) await requireRight(app, asker, 'edit', 'board', name);
  else await requireAuthor(app, asker, 'report');
  const isOwn = wish.as === undefined || wish.as === asker.email;
  const viewer = isOwn ? asker : await personNamed(app, wish.as!);
  await requireRows(app, asker, isOwn, await boardDatasetNames(app, board));
  const draft = { name, title, definition: board, version: 0, writerId: asker.id };
  const request = { choices: [], parameters: {}, ...(wish.languages ? { languages: [...wish.languages] } : {}) };
  return drawBoard(app, viewer, draft, request);
}
