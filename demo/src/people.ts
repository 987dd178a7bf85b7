import { addPerson, putAttribute, putFolder, putGrant } from '@underbell/service/access';
import { hashPassword, type App } from '@underbell/service/platform';
import type { ThingKind } from '@underbell/core/access';
import { shownManager, type Company } from './company.ts';

/** Every demo sign-in has this password. */
export const demoPassword = 'lantern-quay-7';

export const demoPeople = {
  administrator: { email: 'osric.hale@skerrow.example', name: 'Osric Hale' },
  publisher: { email: 'mara.venn@skerrow.example', name: 'Mara Venn' },
  manager: shownManager,
} as const;

/** Where the harbour trust has its harbours. */
export const trustDistrict = 'Tarvane Bay';

/** People whom the company's directory keeps and signs in. */
export function directoryOf(company: Company) {
  const districts = [...new Set(company.quays.map((quay) => quay.district))].sort();
  const leads = ['Ines Holt', 'Tobias Wren', 'Perla Quist', 'Anselm Roke'];
  const people = leads.slice(0, districts.length).map((name, i) => ({
    id: `d-${i + 1}`,
    name,
    email: `${name.toLowerCase().replace(' ', '.')}@skerrow.example`,
    attributes: [{ name: 'district', value: districts[i]! }],
  }));
  // The trust's harbours are those of one district; its people work in the same app.
  const trust = {
    id: 'd-9',
    name: 'Sela Marrin',
    email: 'sela.marrin@harbourtrust.example',
    attributes: [{ name: 'district', value: trustDistrict }],
  };
  return {
    people: [...people, trust],
    groups: [
      { name: 'District leads', members: people.map((one) => one.email) },
      { name: 'Harbour trust', members: [trust.email] },
    ],
  };
}

const makerKinds: ThingKind[] = [
  'report',
  'board',
  'dataset',
  'source',
  'list',
  'template',
  'destination',
  'burst',
  'client',
  'playlist',
  'screen-group',
  'media',
  'screen',
];

/** People, groups and rights of the demo. */
export async function addDemoPeople(app: App, company: Company): Promise<void> {
  const passwordHash = await hashPassword(demoPassword);
  await app.records.transaction(async () => {
    await addPerson(app, { ...demoPeople.administrator, passwordHash, isAdministrator: true });
    await addPerson(app, { ...demoPeople.publisher, passwordHash, groups: ['Publishers'] });
    await addPerson(app, {
      email: 'board@harbourboard.example',
      name: 'Harbour board',
      passwordHash,
      groups: ['Harbour board'],
    });
    for (const quay of company.quays) {
      await addPerson(app, {
        email: quay.email,
        name: quay.manager,
        passwordHash,
        groups: ['Quay managers'],
        attributes: { quay: [quay.id], district: [quay.district] },
      });
    }
    for (const kind of makerKinds) {
      await putGrant(app, { holder: { kind: 'group', name: 'Publishers' }, thing: { kind, name: '*' }, level: 'own' });
    }
    await putAttribute(app, { name: 'quay', label: 'Quay', type: 'text', isMany: true });
    await putAttribute(app, { name: 'district', label: 'District', type: 'text', isMany: true });
    await putFolder(app, { name: 'operations', title: 'Operations', parentName: null });
    for (const [name, level] of [
      ['Publishers', 'own'],
      ['Quay managers', 'view'],
      ['District leads', 'view'],
      ['Harbour trust', 'view'],
    ] as const)
      await putGrant(app, { holder: { kind: 'group', name }, thing: { kind: 'folder', name: 'operations' }, level });
  });
}

/** Each district's lead with all of its quays in one cell, and how they want their copy. */
export function leadList(company: Company): string {
  const wishes = ['en-GB,Europe/London,', 'de,Europe/Berlin,', 'el,Europe/Athens,pdf', 'en-GB,Europe/London,csv pdf'];
  const lines = directoryOf(company).people.map(({ name, email, attributes }, i) => {
    const district = attributes[0]!.value;
    const quays = company.quays.filter((quay) => quay.district === district && !quay.isClosed).map((quay) => quay.id);
    return `${name},${email},${district},${quays.join('; ')},${wishes[i % wishes.length]!}`;
  });
  return ['lead,email,district,quays,language,time_zone,formats', ...lines, ''].join('\n');
}
