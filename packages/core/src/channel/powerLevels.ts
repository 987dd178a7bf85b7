/** What people may do in a channel: the higher, the more. */
export interface PowerLevels {
  readonly users: Readonly<Record<string, number>>;
  readonly usersDefault: number;
  /** Needed to change what a channel has of one kind. */
  readonly events: Readonly<Record<string, number>>;
  readonly stateDefault: number;
}

/** The kind of state by which a channel has tabs. @see Matrix proposal 1236, "Matrix widgets" */
export const tabEvent = 'm.widget';
/** Whoever moderates a channel is one of its owners; whoever made it has the highest level. */
const ownerLevel = 50;
const makerLevel = 100;

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
// Early servers wrote numbers as text.
const levelFrom = (value: unknown, usual: number): number => {
  const level = typeof value === 'string' && /^[+-]?\d{1,15}$/.test(value.trim()) ? Number(value) : value;
  return typeof level === 'number' && Number.isSafeInteger(level) ? level : usual;
};
const levelsFrom = (value: unknown, usual: number): Record<string, number> =>
  isObject(value)
    ? Object.fromEntries(Object.entries(value).map(([name, level]) => [name, levelFrom(level, usual)]))
    : {};

/** Levels as a channel says them; what is not said or no number is what the standard gives. @see `m.room.power_levels` */
export function readPowerLevels(content: unknown): PowerLevels {
  const said = isObject(content) ? content : {};
  const usersDefault = levelFrom(said['users_default'], 0);
  const stateDefault = levelFrom(said['state_default'], ownerLevel);
  return {
    users: levelsFrom(said['users'], usersDefault),
    usersDefault,
    events: levelsFrom(said['events'], stateDefault),
    stateDefault,
  };
}

const has = <T>(of: Readonly<Record<string, T>>, name: string): T | undefined =>
  Object.hasOwn(of, name) ? of[name] : undefined;

/** The level of somebody. @param maker - who made the channel: the only one with a level while nothing is said of levels */
export function levelOf(levels: PowerLevels | null, user: string, maker: string | null): number {
  if (levels === null) return user === maker ? makerLevel : 0;
  return has(levels.users, user) ?? levels.usersDefault;
}

/** The level that placing tabs needs, never less than an owner's. */
export function levelForTabs(levels: PowerLevels | null): number {
  const said = levels === null ? ownerLevel : (has(levels.events, tabEvent) ?? levels.stateDefault);
  return Math.max(said, ownerLevel);
}

/** Whether somebody owns a channel: may change its tabs. Whoever is only in it may not. */
export const isOwner = (levels: PowerLevels | null, user: string, maker: string | null): boolean =>
  levelOf(levels, user, maker) >= levelForTabs(levels);
