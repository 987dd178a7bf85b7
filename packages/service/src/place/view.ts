import type { PersonViewer, TokenViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { askForAccess, noSuch, rightOn } from '../access/index.ts';
import { isThing, momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { fix, prepare, tokenBounds, type Place, type PreparedView, type ViewRequest } from '../view/index.ts';
import { findPlacement } from './store.ts';
import type { Placement } from './models.ts';

/** What a placement sets for everybody who looks through it. */
export function placeOf({ name, title, kind, conditions, page, writerId }: Placement): Place {
  return { name, title, kind, where: conditions, writerId, ...(page === null ? {} : { page }) };
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
  const view = await prepare(app, { viewer, edition, request, fixed: [...token, ...own], place: placeOf(placement) });
  return { ...view, ...(right ? { right } : {}) };
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
  const exists = report !== undefined && (await isThing(app, { kind: 'report', name: report }));
  const { words } = wish;
  await askForAccess(
    app,
    person,
    { report: report ?? wish.placement ?? '', words, ...(wish.placement ? { placement: wish.placement } : {}) },
    exists,
    origin,
  );
}
