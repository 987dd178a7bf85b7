import type { ScreenOrder } from '@underbell/core/screen';
import type { App } from '../platform/index.ts';
import { screenOrders } from './models.ts';

/** Keeps an order until the screen has heard it. */
export async function giveOrder(app: App, screenName: string, order: ScreenOrder): Promise<void> {
  await screenOrders(app).upsert({ screenName, order, givenAt: new Date(app.now()) });
}

/** What a screen was told, once: whoever takes an order is the only one who does. */
export async function takeOrders(app: App, screenName: string): Promise<ScreenOrder[]> {
  return app.records.transaction(async () => {
    const found = await screenOrders(app).findAll({ where: { screenName }, lock: true });
    if (found.length === 0) return [];
    await screenOrders(app).destroy({ where: { screenName } });
    return found.map((one) => one.get('order') as ScreenOrder);
  });
}

/** The screens that have not heard an order yet. */
export const orderedScreens = async (app: App): Promise<Set<string>> =>
  new Set((await screenOrders(app).findAll()).map((one) => one.get('screenName') as string));
