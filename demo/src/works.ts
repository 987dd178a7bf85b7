import { endSession, findPerson, startSession } from '@underbell/service/access';
import type { App } from '@underbell/service/platform';
import { ownCharts } from '@underbell/standins/app';
import { Caller } from './caller.ts';
import type { Company } from './company.ts';
import { demoPeople, directoryOf, trustDistrict } from './people.ts';

const reports = ['quay-punctuality', 'berth-works', 'takings'];
const ferries = 'ferries';
const trust = 'trust';
const besideQuay = "quay_id = record('quay')";

/** What stands in the works app: beside a quay, what a company may have there instead, and figures that follow a drop-down. */
const places = [
  {
    name: 'quay-works',
    title: 'Works on this quay',
    report: 'berth-works',
    where: { 'berth-works': besideQuay },
    inPanel: true,
  },
  {
    name: 'quay-takings',
    title: 'Takings of this quay',
    report: 'takings',
    where: { 'kiosk-takings': besideQuay, sailings: besideQuay },
    inPanel: true,
  },
  {
    name: 'quay-record',
    title: 'Punctuality of this quay',
    report: 'quay-punctuality',
    where: { sailings: besideQuay },
    inPanel: true,
    offers: ['quay-works', 'quay-takings'],
  },
  { name: 'works-starts', title: 'Works by month', report: 'berth-works', page: 'overview', figure: 'starts' },
  { name: 'works-matrix', title: 'Works by district', report: 'berth-works', page: 'overview', figure: 'matrix' },
];

/** Those who set the works app up, each as themselves. */
export interface WorksCallers {
  readonly administrator: Caller;
  readonly publisher: Caller;
  /** One of the people who use it. */
  readonly lead: Caller;
  end(): Promise<void>;
}

export async function worksCallers(app: App, url: string): Promise<WorksCallers> {
  const keys: string[] = [];
  const as = async (email: string) => {
    const { key } = await startSession(app, (await findPerson(app, { email }))!.id, 'command line');
    keys.push(key);
    return new Caller(url, key);
  };
  return {
    administrator: await as(demoPeople.administrator.email),
    publisher: await as(demoPeople.publisher.email),
    lead: await as('ines.holt@skerrow.example'),
    async end() {
      for (const key of keys) await endSession(app, key);
    },
  };
}

/** A page that one of the app's people made of figures and a chart of its own. */
const leadsPage = {
  title: 'My harbours',
  items: [
    { report: 'punctuality', page: 'overview', figure: 'by-day' },
    { chart: 'berths' },
    { report: 'berth-works', page: 'overview', figure: 'starts' },
    { report: 'takings', page: 'overview', figure: 'by-week' },
  ],
};

/** Brings the service into the works app. @returns what the app is given */
export async function joinWorks(callers: WorksCallers, company: Company, worksUrl: string): Promise<object> {
  const { administrator, publisher, lead } = callers;
  const client = { title: 'Harbour works', reports, directoryId: 'works-app', maxLifetimeSeconds: 900 };
  const { secret } = (await publisher.call('PUT', '/api/v1/clients/works-app', client)) as { secret: string };
  await administrator.call('PUT', '/api/v1/allowed-frame-origins', { origins: [worksUrl] });
  await administrator.call('PUT', '/api/v1/apps/works', {
    title: 'Harbour works',
    origins: [worksUrl],
    client: 'works-app',
    company: { from: 'record', name: 'company' },
    charts: ownCharts.map((one) => ({ ...one, address: `${worksUrl}/charts/${one.name}` })),
  });
  for (const [name, level] of [
    ['Publishers', 'edit'],
    ['District leads', 'view'],
    ['Quay managers', 'view'],
    ['Harbour trust', 'view'],
  ] as const)
    await administrator.call('PUT', '/api/v1/permissions', {
      holder: { kind: 'group', name },
      thing: { kind: 'app', name: 'works' },
      level,
    });
  for (const { name, inPanel = false, offers = [], ...place } of places) {
    await publisher.call('PUT', `/api/v1/placements/${name}`, { kind: 'app', origins: [worksUrl], ...place });
    await publisher.call('PUT', `/api/v1/apps/works/placements/${name}`, { inPanel, offers });
  }
  await publisher.call('PUT', '/api/v1/apps/works/placements/quay-record/variant', {
    company: trust,
    shows: 'quay-works',
  });
  await administrator.call('POST', '/api/v1/apps/works/enable');
  await lead.call('PUT', '/api/v1/apps/works/pages/my-harbours', leadsPage);
  const people = directoryOf(company).people.map(({ email }) => ({
    email,
    company: email.endsWith('@harbourtrust.example') ? trust : ferries,
    isAdministrator: email === 'ines.holt@skerrow.example',
  }));
  return {
    clientId: 'works-app',
    clientSecret: secret,
    app: 'works',
    record: 'quay-record',
    figures: places.slice(3).map(({ name, title }) => ({ placement: name, title })),
    companies: [
      { id: ferries, title: 'Skerrow Ferries' },
      { id: trust, title: 'Tarvane harbour trust' },
    ],
    people,
    quays: company.quays.map(({ id, name, district, isClosed }, i) => ({
      id,
      name,
      district,
      isClosed,
      berths: 1 + ((i * 7) % 5),
      companies: district === trustDistrict ? [ferries, trust] : [ferries],
    })),
    kinds: ['fender', 'dredging', 'lighting', 'ramp', 'mooring ring'],
  };
}
