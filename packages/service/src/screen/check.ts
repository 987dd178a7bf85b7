import { isTimeZone } from '@underbell/core/format';
import { Refusal, type Problem } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { misfitOf } from './slotCheck.ts';
import type { ScreenRow } from './models.ts';
import { setupOf, slotsOf } from './schedule.ts';

export function checkZone(timeZone: string): void {
  if (isTimeZone(timeZone)) return;
  throw new Refusal('SCREEN_INVALID', `There is no time zone “${timeZone}”.`, {
    pointer: '/timeZone',
    word: timeZone,
    hint: 'Example: Europe/Berlin',
  });
}

/** @see BCP 47 */
export function checkLanguage(language: string): void {
  if (/^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*$/.test(language)) return;
  throw new Refusal('SCREEN_INVALID', `“${language}” is not a language.`, {
    pointer: '/language',
    word: language,
    hint: 'Example: en or de-AT',
  });
}

/**
 * Looks whether a screen can show everything that was published to it or its group, as it is about to be.
 *
 * @throws {Refusal} `PLAYLIST_MISFIT` with every slot that it could not show
 */
export async function checkScreenFits(app: App, screen: ScreenRow): Promise<void> {
  const problems: Problem[] = [];
  for (const [id, { slot, source }] of slotsOf(await setupOf(app, screen))) {
    const why = await misfitOf(app, screen, source, slot);
    if (why !== undefined) problems.push({ at: `/attributes`, message: `“${id}”: ${why}` });
  }
  const [first] = problems;
  if (first)
    throw new Refusal('PLAYLIST_MISFIT', `Screen “${screen.name}” could not show ${first.message}`, {
      pointer: first.at,
      hint: 'Set the attributes that the playlist uses, or publish another playlist first.',
      problems,
    });
}
