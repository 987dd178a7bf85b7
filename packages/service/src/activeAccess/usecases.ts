import type { PersonViewer } from '@underbell/core/access';
import { isMeant, type DoorFilter, type DoorKind, type OpenDoors } from '@underbell/core/activeAccess';
import { isRefusal, Refusal, suggest } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';

/**
 * Everything that was handed out and still opens something: for owners what is theirs, for administrators all. Each kind
 * tells what a person may know of it.
 */
export async function openDoors(app: App, person: PersonViewer, filter: DoorFilter = {}): Promise<OpenDoors<Date>> {
  const { doors, failed } = await app.things.doors(person);
  const missing = failed.filter((kind) => filter.kind === undefined || filter.kind === kind);
  return {
    open: doors.filter((one) => isMeant(one, filter, app.now())),
    ...(missing.length > 0 ? { failed: missing } : {}),
  };
}

/** What came of ending some doors. */
export interface EndedDoors {
  readonly ended: number;
  /** Those that could not be ended, each with why. */
  readonly problems: readonly { readonly kind: DoorKind; readonly id: string; readonly message: string }[];
}

/**
 * Ends doors, each with the rights of whoever ends it and on its own: one that fails holds up none of the others.
 *
 * @throws {Refusal} `NOT_FOUND` for a kind that is not ended here
 */
export async function endDoors(
  app: App,
  person: PersonViewer,
  doors: readonly { readonly kind: DoorKind; readonly id: string }[],
  origin: string,
): Promise<EndedDoors> {
  const problems: { kind: DoorKind; id: string; message: string }[] = [];
  let ended = 0;
  // Before the first of them: a refusal says that nothing was done.
  const other = doors.find(({ kind }) => !app.things.endedKinds.includes(kind));
  if (other)
    throw new Refusal('NOT_FOUND', `Access of kind “${other.kind}” cannot be revoked here.`, {
      word: other.kind,
      ...suggest(other.kind, app.things.endedKinds),
    });
  for (const { kind, id } of doors) {
    try {
      await app.things.endDoor({ kind, id }, person, origin);
      ended++;
    } catch (error) {
      if (!isRefusal(error)) throw error;
      problems.push({ kind, id, message: error.message });
    }
  }
  return { ended, problems };
}
