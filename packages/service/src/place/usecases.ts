import { escapeUTF8 } from 'entities';
import { checkPlacementFilter, isAtLeast, type PersonViewer } from '@underbell/core/access';
import type { ShownPlacement } from '@underbell/core/place';
import { Refusal, suggest } from '@underbell/core/refusal';
import { findPage, readParameters } from '@underbell/core/report';
import { noSuch, requireRight, rightOn, visibleNames } from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import { holdName, announce, momentOf, remember, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { findPlacement, listPlacements, putPlacement } from './store.ts';
import type { Placement } from './models.ts';

/** What a page's author pastes: the element, its script, and where the host hands out access tokens. */
export function placementSnippet(app: App, placement: Placement): string {
  const { publicUrl } = app.settings;
  return [
    `<script type="module" src="${publicUrl}/element.js"></script>`,
    `<under-bell src="${publicUrl}/v/${placement.name}" token-from="/report-token" title="${escapeUTF8(placement.title)}"></under-bell>`,
  ].join('\n');
}

export function showPlacement(app: App, placement: Placement): ShownPlacement {
  const { reportName, conditions, editionNumber, writerId: _writer, ...rest } = placement;
  return {
    ...rest,
    report: reportName,
    where: conditions,
    ...(editionNumber === null ? {} : { edition: editionNumber }),
    link: `${app.settings.publicUrl}/v/${placement.name}`,
    snippet: placementSnippet(app, placement),
  };
}

/** Saves a placement after checking page, parameters and filters against the report. */
export async function savePlacement(
  app: App,
  person: PersonViewer,
  given: Omit<Placement, 'writerId'>,
  origin: string,
) {
  const placement: Placement = { ...given, writerId: person.id };
  await requireRight(app, person, 'edit', 'report', placement.reportName);
  const before = await findPlacement(app, placement.name);
  if (
    before &&
    before.reportName !== placement.reportName &&
    !isAtLeast(await rightOn(app, person, 'report', before.reportName), 'edit')
  )
    throw new Refusal('NAME_TAKEN', `\`${placement.name}\` is a placement of somebody else’s`, {
      word: placement.name,
      hint: 'choose another name',
    });
  const { definition } = await findEdition(app, placement.reportName, placement.editionNumber ?? undefined);
  if (placement.page !== null) findPage(definition, placement.page);
  readParameters(definition, placement.parameters, { today: momentOf(app).today, isPartial: true });
  const datasets = Object.keys(definition.datasets);
  for (const [name, text] of Object.entries(placement.conditions)) {
    if (!datasets.includes(name))
      throw new Refusal('INPUT_INVALID', `the report reads no dataset \`${name}\``, {
        pointer: `/where/${name}`,
        word: name,
        ...suggest(name, datasets),
      });
    checkPlacementFilter(text, await findDataset(app, name));
  }
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
  return showPlacement(app, placement);
}

/** The placements of reports that a person may see. */
export async function seenPlacements(app: App, person: PersonViewer, report?: string) {
  const all = await listPlacements(app, report);
  const reports = new Set(await visibleNames(app, person, 'report', [...new Set(all.map((one) => one.reportName))]));
  return all.filter((one) => reports.has(one.reportName)).map((one) => showPlacement(app, one));
}

/** One placement of a report that a person may see; which others there are, is told only of those. @throws {Refusal} `NOT_FOUND` */
export async function seenPlacement(app: App, person: PersonViewer, name: string) {
  const placement = await findPlacement(app, name);
  if (placement && (await rightOn(app, person, 'report', placement.reportName)) !== undefined)
    return showPlacement(app, placement);
  const seen = await seenPlacements(app, person);
  throw noSuch(
    'placement',
    name,
    seen.map((one) => one.name),
  );
}
