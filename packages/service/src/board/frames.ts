import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { requireAdministrator } from '../access/index.ts';
import { one, remember, settingRows, type App } from '../platform/index.ts';

const setting = 'board frames';

/** Origins whose pages boards may show in frames: none until an administrator says so. */
export async function boardFrameOrigins(app: App): Promise<readonly string[]> {
  const row = await one(settingRows(app).findByPk(setting));
  return Array.isArray(row?.value) ? (row.value as string[]) : [];
}

/**
 * Says whose pages boards may show; frames of others show nothing from that moment on.
 *
 * @throws {Refusal} `NOT_ALLOWED`; `INPUT_INVALID` for this service itself, whose pages nothing may reach from within a frame
 */
export async function allowBoardFrames(
  app: App,
  person: PersonViewer,
  origins: readonly string[],
  origin: string,
): Promise<readonly string[]> {
  requireAdministrator(person);
  const own = new URL(app.settings.publicUrl).origin;
  if (origins.includes(own))
    throw new Refusal('INPUT_INVALID', 'A board cannot embed this service.', { pointer: '/origins', word: own });
  const after = [...new Set(origins)];
  await app.records.transaction(async () => {
    const before = await boardFrameOrigins(app);
    await settingRows(app).upsert({ name: setting, value: after });
    await remember(app, {
      who: person.email,
      what: 'allowed frame origins set',
      thing: 'installation',
      origin,
      before: { origins: before },
      after: { origins: after },
    });
  });
  return after;
}
