import type { ScreenCommand } from '@underbell/core/screen';
import type { App } from '../platform/index.ts';
import { screenCommandRows } from './models.ts';

/** Keeps an order until the screen has heard it. */
export async function addCommand(app: App, screenName: string, order: ScreenCommand): Promise<void> {
  await screenCommandRows(app).upsert({ screenName, order, givenAt: new Date(app.now()) });
}

/** What a screen was told, once: whoever takes an order is the only one who does. */
export async function takeCommands(app: App, screenName: string): Promise<ScreenCommand[]> {
  return app.records.transaction(async () => {
    const found = await screenCommandRows(app).findAll({ where: { screenName }, lock: true });
    if (found.length === 0) return [];
    await screenCommandRows(app).destroy({ where: { screenName } });
    return found.map((one) => one.get('order') as ScreenCommand);
  });
}

/** The screens that have not heard an order yet. */
export const screensWithCommands = async (app: App): Promise<Set<string>> =>
  new Set((await screenCommandRows(app).findAll()).map((one) => one.get('screenName') as string));
