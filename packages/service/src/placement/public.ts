import { randomUUID } from 'node:crypto';
import { literal, Op } from 'sequelize';
import { isAtLeast, type PersonViewer, type TokenViewer } from '@underbell/core/access';
import { publicLinkDays, type PublicLink } from '@underbell/core/placement';
import { Refusal } from '@underbell/core/refusal';
import { datasetNameOf, findPage, asksData } from '@underbell/core/report';
import {
  emailsById,
  findPerson,
  limitsOn,
  notFound,
  requireAdministrator,
  requireRight,
  rightOn,
} from '../access/index.ts';
import {
  Batch,
  countAttempt,
  countTogether,
  fingerprint,
  limitFailures,
  one,
  perInstance,
  randomKey,
  remember,
  rows,
  settingRows,
  type App,
} from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { publicLinks, type Placement, type PublicLinkRow } from './models.ts';
import { embedLinks } from './oembed.ts';
import { findPlacement } from './store.ts';

const setting = 'public links';
const purpose = 'public link';
const prefix = 'ubp';
const dayMs = 86_400_000;

/** Whether a key that came along is one of a public link. */
export const isPublicKey = (key: string): boolean => key.startsWith(`${prefix}_`);

/** Whether an administrator has switched public links on. They are off until then. */
export async function arePublicLinksOn(app: App): Promise<boolean> {
  const row = await one(settingRows(app).findByPk(setting));
  return row?.value === true;
}

/** Switches public links on or off; what is off shows nothing from that moment on. @throws {Refusal} `NOT_ALLOWED` */
export async function switchPublicLinks(app: App, person: PersonViewer, isOn: boolean, origin: string): Promise<void> {
  requireAdministrator(person);
  await app.records.transaction(async () => {
    const before = await arePublicLinksOn(app);
    await settingRows(app).upsert({ name: setting, value: isOn });
    const what = isOn ? 'public links enabled' : 'public links disabled';
    await remember(app, {
      who: person.email,
      what,
      thing: 'installation',
      origin,
      before: { isOn: before },
      after: { isOn },
    });
  });
}

const refused = (message: string, hint: string) => new Refusal('NOT_PUBLIC', message, { hint });

/** What keeps a placement from being shown to everybody; nothing where it may be. */
async function faultOf(app: App, placement: Placement): Promise<Refusal | undefined> {
  const { reportName, kind, suspendedAt, title } = placement;
  if (!(await arePublicLinksOn(app))) return refused('Public links are disabled.', 'An administrator can enable them.');
  if (kind !== 'link') return refused(`A placement of type ${kind} needs a sign-in.`, 'Use a placement of type link.');
  if (reportName === null) return refused('A board needs a sign-in.', 'Use a page of a report.');
  if (suspendedAt !== null) return refused(`“${title}” is suspended`, 'Resume it first.');
  for (const dataset of await datasetsShown(app, placement)) {
    const { rules, masks } = await limitsOn(app, [dataset]);
    if (rules.length > 0) return refused(`Dataset “${dataset}” has row rules.`, 'Create a dataset with public data.');
    // What is hidden from some who are known is for no stranger.
    if (masks.length > 0) return refused(`Dataset “${dataset}” has masks.`, 'Create a dataset with public data.');
  }
  return undefined;
}

/** The datasets of all pages that can be turned to. */
async function datasetsShown(app: App, placement: Placement): Promise<string[]> {
  const { definition } = await findEdition(app, placement.reportName!, placement.editionNumber ?? undefined);
  const pages = placement.page === null ? definition.pages : [findPage(definition, placement.page)];
  const figures = pages.flatMap((page) => page.figures.filter(asksData));
  const read = figures.map((figure) => datasetNameOf(definition, figure.dataset)!);
  // Parameters offer values of whatever the report reads.
  return [...new Set([...read, ...Object.keys(definition.datasets)])];
}

/** Why whoever made it may not show it to everybody; nothing where they may. */
async function mayNot(app: App, person: PersonViewer, placement: Placement): Promise<string | undefined> {
  const report = placement.reportName!;
  if (!isAtLeast(await rightOn(app, person, 'report', report), 'own'))
    return `its creator does not own report “${report}”`;
  for (const dataset of await datasetsShown(app, placement))
    if (!isAtLeast(await rightOn(app, person, 'dataset', dataset), 'edit'))
      return `its creator does not own dataset “${dataset}”`;
  return undefined;
}

async function requireOwn(app: App, person: PersonViewer, name: string): Promise<Placement> {
  const placement = await findPlacement(app, name);
  const kind = placement?.reportName === null ? 'board' : 'report';
  const thing = placement && (placement.reportName ?? placement.boardName!);
  if (!placement || (await rightOn(app, person, kind, thing!)) === undefined) throw notFound('placement', name, []);
  await requireRight(app, person, 'own', kind, thing!);
  return placement;
}

async function shown(
  app: App,
  row: PublicLinkRow,
  placement: Placement,
  emails: ReadonlyMap<string, string>,
): Promise<PublicLink<Date>> {
  const { id, placementName, note, until, makerId, madeAt, endedAt, endedBy, views, lastViewedAt } = row;
  const isOver = endedAt !== null || until.getTime() <= app.now();
  const fault = isOver ? undefined : await faultOf(app, placement);
  return {
    id,
    placement: placementName,
    url: `${app.settings.publicUrl}/p/${app.vault.open(row.sealedKey, purpose)}`,
    note,
    until,
    madeBy: emails.get(makerId) ?? null,
    madeAt,
    views,
    lastViewedAt,
    ...(endedAt === null ? {} : { endedAt, endedBy: endedBy ?? '' }),
    ...(fault ? { closed: fault.message } : {}),
  };
}

/**
 * The public links of a placement, the newest first, those that ended too; and what keeps it from being public.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` for who does not own what it shows
 */
export async function publicLinksOf(app: App, person: PersonViewer, name: string) {
  const placement = await requireOwn(app, person, name);
  const [found, emails, fault] = await Promise.all([
    rows(publicLinks(app), { where: { placementName: name }, order: [['madeAt', 'DESC']] }),
    emailsById(app),
    faultOf(app, placement),
  ]);
  const links = await Promise.all(found.map((row) => shown(app, row, placement, emails)));
  return { links, ...(fault ? { refused: { message: fault.message, hint: fault.details.hint ?? '' } } : {}) };
}

/** Every link that still shows something, of those placements that a person owns. */
export async function openPublicLinks(app: App, person: PersonViewer): Promise<PublicLink<Date>[]> {
  const [found, emails] = await Promise.all([
    rows(publicLinks(app), { where: { endedAt: null }, order: [['madeAt', 'DESC']] }),
    emailsById(app),
  ]);
  const open: PublicLink<Date>[] = [];
  for (const row of found.filter((one) => one.until.getTime() > app.now())) {
    const placement = await findPlacement(app, row.placementName);
    if (!placement) continue;
    const kind = placement.reportName === null ? 'board' : 'report';
    const isTheirs = isAtLeast(await rightOn(app, person, kind, placement.reportName ?? placement.boardName!), 'own');
    if (isTheirs || person.isAdministrator) open.push(await shown(app, row, placement, emails));
  }
  return open;
}

/** @throws {Refusal} `NOT_PUBLIC` with what stands against it, `NOT_ALLOWED` for who does not decide about the data */
async function requirePublishable(app: App, person: PersonViewer, placement: Placement): Promise<void> {
  const fault = await faultOf(app, placement);
  if (fault) throw fault;
  const why = await mayNot(app, person, placement);
  if (why !== undefined) throw new Refusal('NOT_ALLOWED', `You cannot create a public link: ${why}.`);
}

function checkEnd(app: App, until: Date): void {
  const now = app.now();
  if (until.getTime() <= now || until.getTime() > now + publicLinkDays * dayMs)
    throw new Refusal('INPUT_INVALID', `A public link expires within ${publicLinkDays} days.`, {
      pointer: '/until',
    });
}

/**
 * Makes a link by which everybody who knows it sees a placement.
 *
 * @throws {Refusal} `NOT_PUBLIC` with what stands against it, `NOT_ALLOWED`, `INPUT_INVALID` for an end that is past or too far
 */
export async function makePublicLink(
  app: App,
  person: PersonViewer,
  wish: { readonly placement: string; readonly until: Date; readonly note: string },
  origin: string,
): Promise<PublicLink<Date>> {
  const { placement: name, until, note } = wish;
  const placement = await requireOwn(app, person, name);
  await requirePublishable(app, person, placement);
  checkEnd(app, until);
  const key = randomKey(prefix);
  const row: PublicLinkRow = {
    id: randomUUID(),
    placementName: name,
    fingerprint: fingerprint(key),
    sealedKey: app.vault.seal(key, purpose),
    note,
    until,
    makerId: person.id,
    madeAt: new Date(app.now()),
    endedAt: null,
    endedBy: null,
    views: 0,
    lastViewedAt: null,
  };
  await app.records.transaction(async () => {
    await publicLinks(app).create(row);
    const after = { id: row.id, until, note };
    await remember(app, { who: person.email, what: 'public link created', thing: `placement ${name}`, origin, after });
  });
  return shown(app, row, placement, await emailsById(app));
}

/** A public link by its number, whether it ended or not. @throws {Refusal} `NOT_FOUND` */
async function requireLink(app: App, id: string): Promise<PublicLinkRow> {
  const row = /^[0-9a-f-]{36}$/.test(id) ? await one(publicLinks(app).findByPk(id)) : undefined;
  if (!row) throw notFound('public link', id, []);
  return row;
}

const endedAlready = (id: string) =>
  new Refusal('NOT_FOUND', 'This public link has expired or was revoked.', { word: id });

/**
 * Gives a public link another end or note. A later end asks for what making it anew would ask for; it is from then on within
 * the bounds of whoever made it, as before.
 *
 * @throws {Refusal} `NOT_FOUND` for one that ended, `NOT_ALLOWED`, `NOT_PUBLIC`, `INPUT_INVALID`
 */
export async function changePublicLink(
  app: App,
  person: PersonViewer,
  id: string,
  wish: { readonly until?: Date; readonly note?: string },
  origin: string,
): Promise<PublicLink<Date>> {
  const row = await requireLink(app, id);
  const placement = await requireOwn(app, person, row.placementName);
  if (wish.until) {
    if (wish.until > row.until) await requirePublishable(app, person, placement);
    checkEnd(app, wish.until);
  }
  await app.records.transaction(async () => {
    // What ended meanwhile does not come back by being changed.
    const living = { id, endedAt: null, until: { [Op.gt]: new Date(app.now()) } };
    const [count] = await publicLinks(app).update(wish, { where: living });
    if (count === 0) throw endedAlready(id);
    const before = { id, until: row.until, note: row.note };
    const after = { ...before, ...wish };
    const thing = `placement ${row.placementName}`;
    await remember(app, { who: person.email, what: 'public link updated', thing, origin, before, after });
  });
  return shown(app, await requireLink(app, id), placement, await emailsById(app));
}

/** Ends a public link at once, in every process. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function endPublicLink(app: App, person: PersonViewer, id: string, origin: string): Promise<void> {
  const row = await requireLink(app, id);
  if (!person.isAdministrator) await requireOwn(app, person, row.placementName);
  await app.records.transaction(async () => {
    const [count] = await publicLinks(app).update(
      { endedAt: new Date(app.now()), endedBy: person.email },
      { where: { id, endedAt: null } },
    );
    if (count === 0) throw endedAlready(id);
    const thing = `placement ${row.placementName}`;
    await remember(app, { who: person.email, what: 'public link revoked', thing, origin, after: { id } });
  });
}

const gone = () => new Refusal('LINK_GONE', 'This link has expired, was revoked or never existed.');

/** A link that may be looked at, by its key. @throws {Refusal} `LINK_GONE`, whatever is wrong with it: strangers learn no more */
async function livingLink(
  app: App,
  key: string,
): Promise<{ row: PublicLinkRow; placement: Placement; maker: PersonViewer }> {
  const row = await one(publicLinks(app).findOne({ where: { fingerprint: fingerprint(key) } }));
  if (!row || row.endedAt !== null || row.until.getTime() <= app.now()) throw gone();
  const placement = await findPlacement(app, row.placementName);
  const maker = await findPerson(app, { id: row.makerId });
  if (!placement || !maker || (await faultOf(app, placement)) || (await mayNot(app, maker, placement)) !== undefined)
    throw gone();
  return { row, placement, maker };
}

/** Many look by one link at once: its row is written once a second, and not by each of them. */
const viewsOf = perInstance(
  (app) =>
    new Batch<{ readonly id: string; readonly at: number }>(
      app,
      'views of public links',
      async (views) => {
        const lastViewedAt = new Date(Math.max(...views.map((one) => one.at)));
        const { id } = views[0];
        await publicLinks(app).update({ views: literal(`views + ${views.length}`), lastViewedAt }, { where: { id } });
      },
      ({ id }) => id,
    ),
);

/**
 * Who looks by a public link: nobody in particular, within the bounds of the placement and of whoever made the link.
 *
 * @param asked.from - the asker's address: each has a share of their own
 * @param asked.isView - it is a view, and counts as one
 * @throws {Refusal} `LINK_GONE`, `RATE_LIMITED`
 */
export async function publicViewer(
  app: App,
  key: string,
  asked: { readonly from: string; readonly isView: boolean },
): Promise<TokenViewer> {
  const { row, placement, maker } = await limitFailures(app, 'link', asked.from, () => livingLink(app, key));
  await countAttempt(app, 'public link here', `${row.id} ${asked.from}`);
  countTogether(app, 'public link', row.id);
  if (asked.isView) viewsOf(app).add({ id: row.id, at: app.now() });
  return {
    kind: 'client',
    clientId: 'public link',
    tokenId: `${row.id} ${asked.from}`,
    isPublic: true,
    where: {},
    details: {
      type: 'report_view',
      report: placement.reportName!,
      placement: placement.name,
      actions: ['view'],
      ...(placement.page === null ? {} : { pages: [placement.page] }),
    },
    placement: placement.name,
    expiresAt: row.until.getTime(),
    giverId: maker.id,
  };
}

/** The placement behind a link, the pages that may frame it, and how editors embed it; nothing where it shows nothing. */
export async function publicPage(app: App, key: string, from: string) {
  try {
    const { placement } = await limitFailures(app, 'link', from, () => livingLink(app, key));
    return { ...placement, links: embedLinks(app, `/p/${key}`) };
  } catch (error) {
    if (error instanceof Refusal) return undefined;
    throw error;
  }
}
