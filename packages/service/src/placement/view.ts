import { requireRecord, type PersonViewer, type Right, type TokenViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { ViewResponse } from '@underbell/core/view';
import { askForAccess, notFound, rightOn } from '../access/index.ts';
import { boardDatasets, glanceAtBoard, viewBoard } from '../board/index.ts';
import { isThing, momentOf, requireHost, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import {
  fix,
  pictureOfAnswer,
  pictureOfView,
  prepare,
  tokenBounds,
  type PreparedView,
  type ViewRequest,
  type Watched,
} from '../view/index.ts';
import type { Placement } from './models.ts';
import { shownEdition, placementInfo, shownResource } from './placementView.ts';
import { recordFieldsOf, resolvePlacement } from './resolvedPlacement.ts';
import { findPlacement } from './store.ts';
import { recordHost } from './placementUsage.ts';

/**
 * A client with origins shows what its tokens open in pages of those alone. Which page asks only the browser knows, and it
 * lets no page frame a placement that the placement does not name: so every page that it names must be one of the client's.
 */
function checkHosts({ origins = [] }: TokenViewer, placement: Placement): void {
  if (origins.length === 0) return;
  const other = placement.origins.find((one) => !origins.includes(one));
  if (other === undefined && placement.origins.length > 0) return;
  throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'This access token cannot be used for this placement.', {
    hint: 'The placement allows origins that the client does not. Remove them from the placement or add them to the client.',
  });
}

/** Who looks through a placement: a person, or the holder of an access token. */
export interface Visitor {
  readonly person?: PersonViewer;
  /** Whoever asks knows that they may look: what they would see is compared, and shown to nobody. */
  readonly isExpected?: true;
  readonly client?: TokenViewer;
  /** The record beside it, as the address says. */
  readonly record?: Readonly<Record<string, string>>;
  /** The origin of the page around. */
  readonly host?: string | undefined;
}

/** A placement that somebody may look at. */
interface OpenPlacement {
  readonly placement: Placement;
  /** A person's right on what it shows, or on looking at it here alone. */
  readonly right?: Right;
  readonly admittedBy?: PersonViewer;
}

/** The record that somebody looks beside: a token's own, or what the address says. @throws {Refusal} `TOKEN_SCOPE_EXCEEDED` */
function recordOf({ client, record = {} }: Visitor): Readonly<Record<string, string>> {
  if (!client) return record;
  const held = client.details.context ?? {};
  for (const [name, value] of Object.entries(record))
    if (!Object.hasOwn(held, name) || held[name] !== value)
      throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'The access token is for another record.', {
        pointer: 'record',
        word: name,
        hint: 'Request a token for this record.',
      });
  return held;
}

/** A placement, for whoever may see what it shows, there at least. @throws {Refusal} `NOT_FOUND`, `TOKEN_SCOPE_EXCEEDED`, `PLACEMENT_SUSPENDED`, `HOST_NOT_NAMED` */
export async function openPlacement(app: App, name: string, who: Visitor): Promise<OpenPlacement> {
  const asked = await findPlacement(app, name);
  if (!asked) throw notFound('placement', name, []);
  const looking = who.person ?? who.client?.person;
  const beside = {
    ...(looking ? { person: looking } : {}),
    record: recordOf(who),
    isOwnRecord: who.client === undefined,
  };
  const { placement, closed } = await resolvePlacement(app, asked, beside);
  const thing = shownResource(placement);
  const own = who.person && (await rightOn(app, who.person, thing.kind, thing.name));
  const admission = who.person && own === undefined ? await app.things.admits(who.person, name) : undefined;
  const right: Right | undefined = who.isExpected
    ? { level: 'view', because: 'may view: a member' }
    : admission
      ? { level: 'view', because: `may view: ${admission.because}` }
      : own;
  // Neither what it shows nor that it is there is told to whom it is not for.
  if (who.person && right === undefined) throw notFound('placement', name, []);
  if (!who.person && thing.kind === 'board')
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'Boards need a sign-in: an access token is for one report.');
  if (!who.person && who.client?.details.report !== thing.name)
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'The access token is for another report.');
  if (who.client?.details.placement !== undefined && who.client.details.placement !== name)
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'The access token is for another placement.');
  if (who.client) checkHosts(who.client, placement);
  if (closed) throw closed;
  if (placement.suspendedAt !== null)
    throw new Refusal('PLACEMENT_SUSPENDED', `“${placement.title}” is suspended.`, {
      hint: 'Its owner can resume it.',
    });
  // A tab stands in its chat, which said who is looking.
  if (placement.kind !== 'channel') requireHost(who.host, placement.origins);
  if (who.host !== undefined && placement.origins.includes(who.host)) recordHost(app, name, who.host);
  return {
    placement,
    ...(right ? { right } : {}),
    ...(admission ? { admittedBy: admission.giver } : {}),
  };
}

/** What a placement sets for somebody who looks through it. */
const placeFor = ({ placement, admittedBy }: OpenPlacement) => ({
  ...placementInfo(placement),
  ...(admittedBy ? { admittedBy } : {}),
});

/** A placement of a report as its visitor may see it: by access token, or by the visitor's own right on the report. */
export async function preparePlacement(
  app: App,
  name: string,
  who: Visitor,
  request: ViewRequest,
): Promise<PreparedView> {
  if (who.client?.isPublic === true && request.where !== undefined)
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'A public link cannot be filtered. Sign in to filter.');
  const asked = { ...who, ...(request.record ? { record: request.record } : {}) };
  const { placement, right } = await openPlacement(app, name, asked);
  if (placement.reportName === null)
    throw new Refusal('INPUT_INVALID', `“${name}” shows a board, which has no single figures.`, { word: name });
  const edition = shownEdition(
    await findEdition(app, placement.reportName, placement.editionNumber ?? undefined),
    placement,
  );
  const report = edition.definition;
  requireRecord(await recordFieldsOf(app, placement), recordOf(asked));
  const place = placementInfo(placement);
  const page = request.page ?? place.page;
  const { today } = momentOf(app);
  const token = who.client ? tokenBounds(who.client, report, page, today) : [];
  const own = fix(report, placement.parameters, 'placement', placement.name, today);
  const viewer = (who.client ?? who.person)!;
  const view = await prepare(app, { viewer, edition, request, fixed: [...token, ...own], place });
  return { ...view, ...(right ? { right } : {}) };
}

/** A placement of a board as its visitor may see it; undefined for one of a report. */
export async function viewPlacedBoard(
  app: App,
  name: string,
  who: Visitor,
  request: ViewRequest,
): Promise<ViewResponse<Date> | undefined> {
  const asked = { ...who, ...(request.record ? { record: request.record } : {}) };
  const open = await openPlacement(app, name, asked);
  const { placement } = open;
  if (placement.boardName === null) return undefined;
  requireRecord(await recordFieldsOf(app, placement), recordOf(asked));
  if (request.choices.length > 0 || request.drills !== undefined || request.page !== undefined)
    throw new Refusal('INPUT_INVALID', 'A board has no pages, selections or drill levels.', { word: name });
  return viewBoard(app, who.person!, placement.boardName, request, placeFor(open));
}

/** What a placement shows as a small picture, as a person may see it there. */
export async function pictureOfPlacement(
  app: App,
  person: PersonViewer,
  name: string,
  languages: string[],
): Promise<string> {
  const request: ViewRequest = { choices: [], parameters: {}, languages };
  const open = await openPlacement(app, name, { person });
  const { placement } = open;
  if (placement.boardName === null) return pictureOfView(app, await preparePlacement(app, name, { person }, request));
  return pictureOfAnswer(app, await glanceAtBoard(app, person, placement.boardName, request, placeFor(open)));
}

/** The board that a placement shows, with the datasets that it reads; undefined for one of a report. */
export async function watchedBoard(
  app: App,
  name: string,
  who: Visitor,
  request: ViewRequest,
): Promise<Watched | undefined> {
  const open = await openPlacement(app, name, { ...who, ...(request.record ? { record: request.record } : {}) });
  const { placement } = open;
  if (placement.boardName === null) return undefined;
  const datasets = await boardDatasets(app, who.person!, placement.boardName, placeFor(open));
  return { board: placement.boardName, placement: name, datasets };
}

/** What somebody asks to see: a report, a board, or what a placement shows. */
export interface AccessWish {
  readonly report?: string;
  readonly board?: string;
  readonly placement?: string;
  readonly words: string;
}

/** Asks for a thing by its name or by a placement of it. */
export async function askToSee(app: App, person: PersonViewer, wish: AccessWish, origin: string): Promise<void> {
  const { report, board, placement: placed, words } = wish;
  const placement = placed === undefined ? undefined : await findPlacement(app, placed);
  const thing = placement
    ? shownResource(placement)
    : board === undefined
      ? ({ kind: 'report', name: report ?? placed ?? '' } as const)
      : ({ kind: 'board', name: board } as const);
  const exists = (placed === undefined || placement !== undefined) && (await isThing(app, thing));
  await askForAccess(
    app,
    person,
    { thing, words, ...(placed === undefined ? {} : { placement: placed }) },
    exists,
    origin,
  );
}
