import { effectiveFilterOf, requireRecord, type PersonViewer, type RecordField } from '@underbell/core/access';
import { isRefusal, nearestNames, type Refusal } from '@underbell/core/refusal';
import type { RecordTry } from '@underbell/core/preview';
import { notFound, rightOn } from '../access/index.ts';
import { glanceAtBoard } from '../board/index.ts';
import {
  checkPlacement,
  shownEdition,
  findPlacement,
  placementInfo,
  recordFieldsOf,
  resolvePlacement,
  shownResource,
  type Placement,
  type PlacementWish,
} from '../placement/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import {
  explainLimits,
  filterWords,
  fix,
  prepare,
  showView,
  type PreparedView,
  type ViewRequest,
} from '../view/index.ts';

/** A record beside which a placement is tried. */
export interface RecordWish {
  /** One that is saved, or how it would be saved. */
  readonly placement: string | PlacementWish;
  readonly record: Readonly<Record<string, string>>;
  readonly request: ViewRequest;
}

const told = ({ code, message, details }: Refusal) => ({
  code,
  message,
  ...(details.hint === undefined ? {} : { hint: details.hint }),
});

/** What a record may get wrong: everything else is wrong with the placement, and refused. */
const ofRecords = ['RECORD_INCOMPLETE', 'VALUE_INVALID'] as const;

/**
 * What a placement shows beside a record, with the own eyes of whoever asks: the filter in words, the rows that are left, and
 * the page. Nothing of it is kept.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `NOT_FOUND`, and whatever is wrong with the placement itself
 */
export async function tryRecord(app: App, person: PersonViewer, wish: RecordWish): Promise<RecordTry<Date>> {
  const { record } = wish;
  const request = { ...wish.request, record };
  const placement =
    typeof wish.placement === 'string'
      ? await standing(app, person, wish.placement, record)
      : (await checkPlacement(app, person, wish.placement)).placement;
  const fields = await recordFieldsOf(app, placement);
  const bare = { fields, datasets: [], nearest: {} };
  try {
    requireRecord(fields, record);
    if (placement.boardName !== null) {
      const view = await glanceAtBoard(app, person, placement.boardName, request, placementInfo(placement));
      return { ...bare, view };
    }
    const view = await prepareTry(app, person, placement, request);
    const datasets = await Promise.all(
      [...view.revisions.values()].map((revision) =>
        explainLimits(app, revision, effectiveFilterOf(view.viewing, revision.shape), 'own'),
      ),
    );
    const empty = new Set(datasets.filter((one) => one.rows === 0).map((one) => one.dataset));
    const nearest = await nearestValues(
      app,
      person,
      placement,
      fields.filter((one) => empty.has(one.dataset)),
      record,
    );
    return { fields, datasets, view: await showView(app, view), nearest };
  } catch (error) {
    if (!isRefusal(error) || !ofRecords.some((code) => code === error.code)) throw error;
    return { ...bare, refused: told(error) };
  }
}

/**
 * What stands in a placement beside a record, for who may see it by a right of their own: whoever was let in to one place alone
 * hears of no value beside what it shows. It is looked at also while its app is off, or it is suspended: not there, but here.
 */
async function standing(
  app: App,
  person: PersonViewer,
  name: string,
  record: RecordWish['record'],
): Promise<Placement> {
  const asked = await findPlacement(app, name);
  if (!asked) throw notFound('placement', name, []);
  const { placement } = await resolvePlacement(app, asked, { person, record, isOwnRecord: true });
  const { kind, name: of } = shownResource(placement);
  // What stands behind a name is told to nobody who may not see it.
  if ((await rightOn(app, person, kind, of)) === undefined) throw notFound('placement', name, []);
  return placement;
}

async function prepareTry(
  app: App,
  person: PersonViewer,
  placement: Placement,
  request: ViewRequest,
): Promise<PreparedView> {
  const found = await findEdition(app, placement.reportName!, placement.editionNumber ?? undefined);
  const edition = shownEdition(found, placement);
  const fixed = fix(edition.definition, placement.parameters, 'placement', placement.name, momentOf(app).today);
  return prepare(app, { viewer: person, edition, request, fixed, place: placementInfo(placement) });
}

/** Values near to those of a record that finds nothing: the wrong case, a digit too few. Only of what the person may see. */
async function nearestValues(
  app: App,
  person: PersonViewer,
  placement: Placement,
  fields: readonly RecordField[],
  record: Readonly<Record<string, string>>,
): Promise<Record<string, string[]>> {
  const found: Record<string, string[]> = {};
  const everything = { ...placement, conditions: {} };
  for (const { name, type, column } of fields) {
    if (type !== 'text' || column === undefined) continue;
    const view = await prepareTry(app, person, everything, { choices: [], parameters: {} });
    const said = record[name]!;
    // Columns may have more values than are looked at: what begins like it comes first.
    for (const length of new Set([said.length, said.length - 1, said.length - 2, 1])) {
      if (length < 1 || found[name]) continue;
      const { values } = await filterWords(app, view, column, said.slice(0, length));
      const near = nearestNames(said, values).filter((one) => one !== said);
      if (near.length > 0) found[name] = near;
    }
  }
  return found;
}
