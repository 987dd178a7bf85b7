import type { PersonViewer } from '@underbell/core/access';
import type { PanelItem, SidePanel } from '@underbell/core/app';
import { isRefusal, Refusal, suggest } from '@underbell/core/refusal';
import { openPlacement } from '../placement/index.ts';
import { one, requireHost, type App } from '../platform/index.ts';
import { requireOnApp } from './requireEnabledApp.ts';
import { appPanels } from './models.ts';
import { listPlaces } from './store.ts';

type RecordFields = Readonly<Record<string, string>>;

/** What somebody may have in the side panel of an app: the placements there that they may see. */
async function mayHave(app: App, person: PersonViewer, appName: string, record: RecordFields): Promise<PanelItem[]> {
  const found: PanelItem[] = [];
  for (const { placementName, inPanel } of await listPlaces(app, appName)) {
    if (!inPanel) continue;
    try {
      const { placement } = await openPlacement(app, placementName, { person, record });
      found.push({ placement: placementName, title: placement.title });
    } catch (error) {
      // What they may not see is not told apart from what is not there.
      if (!isRefusal(error)) throw error;
    }
  }
  return found.sort((a, b) => a.title.localeCompare(b.title));
}

const ownPanel = (app: App, appName: string, personId: string) =>
  one(appPanels(app).findOne({ where: { appName, personId } }));

/** A person's own side panel. @throws {Refusal} `NOT_FOUND` where they see nothing of the app, `APP_DISABLED` */
export async function showPanel(
  app: App,
  person: PersonViewer,
  appName: string,
  record: RecordFields = {},
  host?: string,
): Promise<SidePanel> {
  const row = await requireOnApp(app, person, appName);
  requireHost(host, row.origins);
  const may = await mayHave(app, person, appName, record);
  const own = await ownPanel(app, appName, person.id);
  const names = may.map((item) => item.placement);
  const chosen = own?.chosen ? own.chosen.filter((name) => names.includes(name)) : names;
  const shown = own?.shown !== null && own?.shown !== undefined && chosen.includes(own.shown) ? own.shown : undefined;
  return { app: appName, title: row.title, may, chosen, ...(shown === undefined ? {} : { shown }) };
}

/** Keeps a person's own choice and order, and what was shown last; each as it is where it is not said. */
export async function savePanel(
  app: App,
  person: PersonViewer,
  appName: string,
  wish: { readonly chosen?: readonly string[] | undefined; readonly shown?: string | undefined },
  record: RecordFields = {},
): Promise<SidePanel> {
  const { may } = await showPanel(app, person, appName, record);
  const names = may.map((item) => item.placement);
  const asked = [...(wish.chosen ?? []), ...(wish.shown === undefined ? [] : [wish.shown])];
  const unknown = asked.find((name) => !names.includes(name));
  if (unknown !== undefined)
    throw new Refusal('NOT_FOUND', `There is no report “${unknown}” for your side panel.`, {
      word: unknown,
      ...suggest(unknown, names),
    });
  const change = {
    ...(wish.chosen === undefined ? {} : { chosen: wish.chosen }),
    ...(wish.shown === undefined ? {} : { shown: wish.shown }),
  };
  await appPanels(app).upsert(
    { appName, personId: person.id, ...change },
    { fields: ['appName', 'personId', ...Object.keys(change)] as never },
  );
  return showPanel(app, person, appName, record);
}
