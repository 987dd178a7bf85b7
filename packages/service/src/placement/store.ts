import { all, one, recall, type App } from '../platform/index.ts';
import { placements, type Placement } from './models.ts';

export async function findPlacement(app: App, name: string): Promise<Placement | undefined> {
  return recall(`placement ${name}`, async () => {
    return one(placements(app).findByPk(name));
  });
}

export async function listPlacements(app: App): Promise<Placement[]> {
  return all(placements(app).findAll({ order: ['name'] }));
}

export async function setSuspended(app: App, name: string, suspendedAt: Date | null): Promise<void> {
  await placements(app).update({ suspendedAt }, { where: { name } });
}

/** What is known of a placement from elsewhere: saving it anew leaves that as it is at that moment. */
const kept: readonly string[] = ['suspendedAt', 'makerId', 'madeAt'] satisfies (keyof Placement)[];

export async function putPlacement(app: App, placement: Placement): Promise<void> {
  const fields = (Object.keys(placement) as (keyof Placement)[]).filter((one) => !kept.includes(one));
  await placements(app).upsert(placement, { fields });
}

/** @returns whether there was one */
export async function removePlacement(app: App, name: string): Promise<boolean> {
  return (await placements(app).destroy({ where: { name } })) > 0;
}
