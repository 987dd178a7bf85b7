import { spawnSync } from 'node:child_process';
import { readdirSync, readFileSync, readlinkSync } from 'node:fs';
import { constants, setPriority } from 'node:os';
import type { Socket } from 'node:net';
import type pg from 'pg';

/** Where a thread has a priority of its own. */
const isPossible = process.platform === 'linux';

/**
 * How scheduled work gives way to people who wait for a page. `idle`: threads that make files compute only while nobody else
 * wants to, and at once make room for whoever does. `low`: they get a small share of a machine that others keep busy all the
 * time. `usual`: it does not, as where workers have a machine of their own.
 */
export const priorities = ['idle', 'low', 'normal'] as const;
export type Priority = (typeof priorities)[number];

/**
 * Asks for the scheduler's idle class, which only a program of its own can: what waits in it never keeps a reader waiting
 * until its turn is over, as what has a low priority may for some milliseconds. Where the program is missing or the system does
 * not allow it, the low priority stays.
 */
function becomeIdle(threads: readonly number[]): void {
  for (const thread of threads) spawnSync('chrt', ['--idle', '--pid', '0', String(thread)], { stdio: 'ignore' });
}

/** What the kernel says; nothing where it was built without. */
function fromKernel(read: () => string): string | undefined {
  try {
    return read();
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
    throw error;
  }
}

/** From now on, this thread computes only when hardly anybody else wants to. */
export function giveWay(priority: Priority): void {
  if (!isPossible || priority === 'normal') return;
  setPriority(constants.priority.PRIORITY_LOW);
  const own = priority === 'idle' ? fromKernel(() => readlinkSync('/proc/thread-self')) : undefined;
  if (own !== undefined) becomeIdle([Number(own.split('/').at(-1))]);
}

/**
 * From now on, people who wait for a page go before everything that this process does: its threads that read, clean up
 * memory and compile as well, and those that it begins later.
 *
 * The first thread, which reads rows and cuts them, keeps a low priority: what it waits for and what waits for it take turns
 * all the time, which two of the idle class do far more slowly than two others.
 */
export function giveWayWhole(priority: Priority): void {
  if (!isPossible || priority === 'normal') return;
  const { PRIORITY_LOW, PRIORITY_BELOW_NORMAL } = constants.priority;
  const threads = readdirSync('/proc/self/task').map(Number);
  for (const thread of threads)
    try {
      setPriority(thread, priority === 'idle' ? PRIORITY_LOW : PRIORITY_BELOW_NORMAL);
    } catch (error) {
      if (!isOutOfReach(error)) throw error;
    }
  if (priority === 'idle') becomeIdle(threads.filter((one) => one !== process.pid));
}

/** Of another user, or ended meanwhile. */
function isOutOfReach(error: unknown): boolean {
  const { code } = (error as { info?: { code?: string } }).info ?? {};
  return code === 'EACCES' || code === 'EPERM' || code === 'ESRCH';
}

/** What a connection of the database's client library knows, without its types. */
interface Connected {
  readonly processID?: number | null;
  readonly connection?: { readonly stream?: Socket };
}

/**
 * The process of the database behind a connection, where it runs on this machine. Its own title must name our end of the
 * connection: on another machine the same number may be anybody's.
 */
function localProcess(client: pg.ClientBase): number | undefined {
  const { processID, connection } = client as unknown as Connected;
  const port = connection?.stream?.localPort;
  if (!isPossible || typeof processID !== 'number' || port === undefined) return undefined;
  let title: string;
  try {
    title = readFileSync(`/proc/${processID}/cmdline`, 'utf8');
  } catch {
    // No such process here: the database runs elsewhere.
    return undefined;
  }
  return title.startsWith('postgres: ') && title.includes(`(${port})`) ? processID : undefined;
}

/**
 * Has the database's own process behind a connection give way to those of readers, where it runs on this machine and
 * belongs to us; elsewhere, whoever runs the database sees to that.
 *
 * @returns whether it does
 */
export function lowerPriority(client: pg.ClientBase): boolean {
  const pid = localProcess(client);
  if (pid === undefined) return false;
  try {
    setPriority(pid, constants.priority.PRIORITY_LOW);
    return true;
  } catch (error) {
    if (isOutOfReach(error)) return false;
    throw error;
  }
}

const lookEveryMs = 60_000;

/**
 * How long the process's first thread has waited for a core so far, while it had something to compute; milliseconds, 0 where
 * the kernel does not count it.
 */
function waitedMs(): number {
  const counted = fromKernel(() => readFileSync('/proc/self/schedstat', 'utf8')) ?? '0 0 0';
  return Number(counted.split(' ')[1]) / 1e6;
}

/**
 * Looks every minute whether this process waited for a core for more than half of it, as one that gives way may have to.
 *
 * @param say - called with the share of the minute, between 0.5 and 1
 * @param waited - milliseconds waited so far
 * @returns what ends the looking; nothing where waiting cannot be told
 */
export function watchStarving(
  say: (share: number) => void,
  waited: () => number = waitedMs,
  everyMs = lookEveryMs,
): NodeJS.Timeout | undefined {
  if (!isPossible) return undefined;
  let before = waited();
  let at = performance.now();
  return setInterval(() => {
    const [now, total] = [performance.now(), waited()];
    const share = Math.min(1, (total - before) / (now - at));
    [at, before] = [now, total];
    if (share > 0.5) say(share);
  }, everyMs).unref();
}
