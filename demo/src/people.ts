import { addPerson, putGrant } from '@underbell/service/access';
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

const makerKinds: ThingKind[] = ['report', 'dataset', 'source', 'list', 'burst'];

/** People, groups and rights of the demo. */
export async function addDemoPeople(app: App, company: Company): Promise<void> {
  const passwordHash = await hashPassword(demoPassword);
  await app.records.transaction(async (transaction) => {
    await addPerson(app, { ...demoPeople.administrator, passwordHash, isAdministrator: true }, transaction);
    await addPerson(app, { ...demoPeople.publisher, passwordHash, groups: ['Publishers'] }, transaction);
    await addPerson(
      app,
      { email: 'board@harbourboard.example', name: 'Harbour board', passwordHash, groups: ['Harbour board'] },
      transaction,
    );
    for (const quay of company.quays) {
      await addPerson(
        app,
        {
          email: quay.email,
          name: quay.manager,
          passwordHash,
          groups: ['Quay managers'],
          attributes: { quay: [quay.id], district: [quay.district] },
        },
        transaction,
      );
    }
    for (const kind of makerKinds) {
      await putGrant(
        app,
        { holder: { kind: 'group', name: 'Publishers' }, thing: { kind, name: '*' }, level: 'own' },
        transaction,
      );
    }
    await putGrant(
      app,
      {
        holder: { kind: 'group', name: 'Quay managers' },
        thing: { kind: 'report', name: 'quay-punctuality' },
        level: 'view',
      },
      transaction,
    );
  });
}
