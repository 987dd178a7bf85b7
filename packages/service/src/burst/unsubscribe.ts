import type { PersonViewer } from '@underbell/core/access';
import type { Unsubscribed } from '@underbell/core/burst/apiTypes';
import { Refusal } from '@underbell/core/refusal';
import { requireRight } from '../access/index.ts';
import { rows, isSameSecret, remember, type App } from '../platform/index.ts';
import { requireBurst } from './definition.ts';
import { findRun } from './store.ts';
import type { DeliveryRow } from '../deliver/index.ts';
import { findDelivery } from '../deliver/index.ts';
import { unsubscribed } from './models.ts';

const purpose = 'unsubscribe';

/** The address under which the recipient of a copy says that they want no more; nobody else can make one. */
export function unsubscribeAddress(app: App, delivery: Pick<DeliveryRow, 'id'>): string {
  return `${app.settings.publicUrl}/u/${delivery.id}.${app.vault.sign(String(delivery.id), purpose)}`;
}

/** @throws {Refusal} `NOT_FOUND` for an address that was never made */
async function deliveryOf(app: App, key: string): Promise<DeliveryRow & { readonly title: string }> {
  const [, id, signature] = /^(\d{1,9})\.([\w-]{43})$/.exec(key) ?? [];
  const isGenuine = signature !== undefined && isSameSecret(signature, app.vault.sign(id!, purpose));
  const delivery = isGenuine ? await findDelivery(app, Number(id)) : undefined;
  const run = delivery && (await findRun(app, delivery.runId));
  if (!delivery || !run)
    throw new Refusal('NOT_FOUND', 'Link not found.', { hint: 'Check that you copied the whole link.' });
  return { ...delivery, title: run.definition.title };
}

/** What somebody would get no more of, and at which address. */
export async function showSubscription(app: App, key: string): Promise<{ title: string; address: string }> {
  const { title, address } = await deliveryOf(app, key);
  return { title, address };
}

/** Takes the recipient's word that they want no more of a burst. Said twice, it is the same. */
export async function unsubscribe(app: App, key: string, origin: string): Promise<{ title: string; address: string }> {
  const { title, address, burstName } = await deliveryOf(app, key);
  await app.records.transaction(async () => {
    const who = { burstName, address: address.toLowerCase() };
    const [, isNew] = await unsubscribed(app).findOrCreate({
      where: who,
      defaults: { ...who, at: new Date(app.now()) },
    });
    if (!isNew) return;
    await remember(app, { who: address, what: 'unsubscribed', thing: `burst ${burstName}`, origin });
  });
  return { title, address };
}

/** Address -> since when they want no more of a burst. */
export async function unsubscribedFrom(app: App, burst: string): Promise<Map<string, Date>> {
  const found = await rows(unsubscribed(app), { where: { burstName: burst }, order: ['at'] });
  return new Map(found.map((one) => [one.address, one.at]));
}

export async function showUnsubscribed(app: App, person: PersonViewer, burst: string): Promise<Unsubscribed<Date>[]> {
  await requireBurst(app, person, burst, 'view');
  return [...(await unsubscribedFrom(app, burst))].map(([address, at]) => ({ address, at }));
}

/** Sends to somebody again who had said no; they should have asked for it. @throws {Refusal} `NOT_FOUND` */
export async function subscribeAgain(
  app: App,
  person: PersonViewer,
  burst: string,
  wish: { address: string; origin: string },
): Promise<void> {
  await requireBurst(app, person, burst, 'view');
  await requireRight(app, person, 'edit', 'burst', burst);
  await app.records.transaction(async () => {
    const where = { burstName: burst, address: wish.address.toLowerCase() };
    const gone = await unsubscribed(app).destroy({ where });
    if (gone === 0)
      throw new Refusal('NOT_FOUND', `${wish.address} is not unsubscribed from “${burst}”.`, { word: wish.address });
    const what = `sends to ${wish.address} again, who had wanted no more`;
    await remember(app, { who: person.email, what, thing: `burst ${burst}`, origin: wish.origin });
  });
}
