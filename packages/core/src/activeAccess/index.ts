import type { ThingKind } from '../access/index.ts';

/** What opens something of the installation to somebody. */
export const accessKinds = [
  'access token',
  'program',
  'signing key',
  'placement',
  'public link',
  'guest',
  'invitation',
  'links of copies',
  'calendar',
  'refresh address',
  'follow address',
  'destination',
  'directory key',
  'session',
  'chat',
  'app',
  'screen',
] as const;
export type DoorKind = (typeof accessKinds)[number];

/** Something that was handed out: to whom, for what, under which limits. `At`: an instant, a `Date` before it is sent. */
export interface ActiveAccess<At = string> {
  readonly kind: DoorKind;
  /** What tells it from others of its kind. */
  readonly id: string;
  readonly title: string;
  /** Who has it: an address, a program, everybody who knows an address. */
  readonly to: string;
  /** What it opens. */
  readonly of?: { readonly kind: ThingKind; readonly name: string };
  readonly limits: string;
  readonly madeBy: string | null;
  readonly madeAt: At | null;
  readonly lastUsedAt: At | null;
  readonly endsAt: At | null;
  /** What stops when it is ended; why it cannot be, for one that is not ended here. */
  readonly ending: string;
  readonly mayEnd: boolean;
}

/** What is open, and the kinds that could not be listed. */
export interface OpenDoors<At = string> {
  readonly open: readonly ActiveAccess<At>[];
  readonly failed?: readonly DoorKind[];
}

/** Which of them are meant; each left out means all. */
export interface DoorFilter {
  readonly kind?: DoorKind;
  /** Part of whom it was given to or by. */
  readonly person?: string;
  /** What it opens: `report quay-punctuality`, or the name alone. */
  readonly of?: string;
  /** Made at least so many days ago. */
  readonly olderThanDays?: number;
  /** Not used for so many days, or never. */
  readonly unusedDays?: number;
}

const dayMs = 86_400_000;
const has = (text: string | null, wanted: string) => text?.toLowerCase().includes(wanted.toLowerCase()) === true;

/** Whether a door is among those that are meant. @param now - milliseconds since 1970-01-01T00:00:00Z */
export function isMeant(door: ActiveAccess<Date>, filter: DoorFilter, now: number): boolean {
  const { kind, person, of, olderThanDays, unusedDays } = filter;
  const before = (at: Date | null, days: number) => at === null || at.getTime() <= now - days * dayMs;
  return (
    (kind === undefined || door.kind === kind) &&
    (person === undefined || has(door.to, person) || has(door.madeBy, person)) &&
    (of === undefined ||
      (door.of !== undefined && (of === door.of.name || of === `${door.of.kind} ${door.of.name}`))) &&
    (olderThanDays === undefined || (door.madeAt !== null && before(door.madeAt, olderThanDays))) &&
    (unusedDays === undefined || (before(door.lastUsedAt, unusedDays) && before(door.madeAt, unusedDays)))
  );
}
