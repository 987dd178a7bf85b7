import { readFileSync } from 'node:fs';
import { ScreenDevice, type ScreensFile } from '@underbell/standins/screen';
import type { Caller } from './caller.ts';
import type { Company, Quay } from './company.ts';

const attributes = [
  { name: 'quay', label: 'Quay', type: 'text' },
  { name: 'quay_name', label: 'Name of the quay', type: 'text' },
  { name: 'district', label: 'District', type: 'text' },
];

const groups = [
  { name: 'quays', title: 'On the quays', worryMinutes: 2_880, leaseHours: 72, otherwise: 'Skerrow Ferries' },
  { name: 'offices', title: 'District offices', worryMinutes: 2_880, leaseHours: 24, otherwise: 'Skerrow Ferries' },
];

const onQuay = "quay_id = screen('quay')";
const inDistrict = "district = screen('district')";

const playlists = [
  {
    name: 'quay-board',
    title: 'Quay screens',
    description: 'Figures of each quay, with a welcome text.',
    slots: [
      {
        name: 'punctuality',
        title: 'How we sailed from here',
        shows: { report: 'quay-punctuality', page: 'overview' },
        where: { sailings: onQuay },
        seconds: 20,
      },
      {
        name: 'welcome',
        shows: {
          text: 'Welcome to {quay_name}. On time since August: {on_time}',
          values: {
            on_time: {
              report: 'quay-punctuality',
              page: 'overview',
              figure: 'on-time',
              where: { sailings: onQuay },
            },
          },
        },
        seconds: 8,
      },
      { name: 'map', shows: { media: 'harbour-map' }, seconds: 10 },
    ],
  },
  {
    name: 'night',
    title: 'Quays at night',
    hours: [{ from: '23:00', to: '05:00' }],
    slots: [{ name: 'closed', shows: { text: 'The first boat leaves {quay_name} at 05:30' }, seconds: 30 }],
  },
  {
    name: 'district-wall',
    title: 'District office screens',
    slots: [
      {
        name: 'punctuality',
        title: 'How this district sailed',
        shows: { report: 'quay-punctuality', page: 'overview' },
        where: { sailings: inDistrict },
        seconds: 25,
      },
      {
        name: 'works',
        shows: { report: 'berth-works', page: 'overview' },
        where: { 'berth-works': inDistrict },
        seconds: 20,
        hours: [{ days: ['MO', 'TU', 'WE', 'TH', 'FR'], from: '06:00', to: '20:00' }],
      },
      {
        name: 'harbour',
        title: 'The harbour at a glance',
        shows: { board: 'harbour' },
        where: { 'kiosk-takings': inDistrict, sailings: inDistrict, 'berth-works': inDistrict },
        seconds: 20,
      },
    ],
  },
];

const targets = [
  ['district-wall', 'offices'],
  ['quay-board', 'quays'],
  ['night', 'quays'],
] as const;

const drillMs = 2 * 3_600_000;

/** Screens that are left for real devices: they are paired by whoever tries the demo. */
const quayScreens = 26;

const screenOf = (quay: Quay) => ({
  name: `quay-${quay.id.toLowerCase()}`,
  title: quay.name,
  group: 'quays',
  attributes: { quay: quay.id, quay_name: quay.name, district: quay.district },
  timeZone: 'Europe/Berlin',
  language: 'en',
});

/** Hangs screens onto quays and into district offices. @returns what the devices keep */
export async function hangScreens(
  callers: { readonly administrator: Caller; readonly publisher: Caller },
  company: Company,
  url: string,
): Promise<ScreensFile> {
  const { administrator, publisher } = callers;
  await administrator.call('PUT', '/api/v1/screen-attributes', { attributes });
  for (const { name, ...rest } of groups) await publisher.call('PUT', `/api/v1/screen-groups/${name}`, rest);
  const open = company.quays.filter((one) => !one.isClosed).slice(0, quayScreens);
  const districts = [...new Set(company.quays.map((one) => one.district))].slice(0, 4);
  const wanted = [
    ...open.map(screenOf),
    ...districts.map((district) => ({
      name: `office-${district.toLowerCase().replaceAll(' ', '-')}`,
      title: `Office ${district}`,
      group: 'offices',
      attributes: { district },
      timeZone: 'Europe/Berlin',
      language: 'en',
    })),
  ];
  const map = readFileSync(new URL('../definitions/harbour-map.svg', import.meta.url));
  const title = encodeURIComponent('Map of the harbour');
  await publisher.call('PUT', `/api/v1/media/harbour-map?file=harbour-map.svg&title=${title}`, map);
  const devices = [];
  for (const screen of wanted) {
    const typed = async (code: string) => void (await publisher.call('POST', `/api/v1/pairing-codes/${code}`, screen));
    devices.push(await ScreenDevice.pair(screen.name, url, typed));
  }
  for (const definition of playlists)
    await publisher.call('PUT', '/api/v1/playlists', { definition: { format: 'underbell-playlist/1', ...definition } });
  for (const [playlist, group] of targets)
    await publisher.call('POST', `/api/v1/playlists/${playlist}/publish`, {
      targets: [{ kind: 'screen-group', name: group }],
      note: 'First version',
      give: true,
    });
  // One group is interrupted: everything else there waits.
  await publisher.call('POST', '/api/v1/screen-groups/offices/overrides', {
    slot: { name: 'drill', shows: { text: 'Safety drill today at noon. Please meet at the front door.' }, seconds: 60 },
    until: new Date(Date.now() + drillMs).toISOString(),
  });
  return { devices: await Promise.all(devices.map((one) => one.keep())) };
}
