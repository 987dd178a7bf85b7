import { execFile, spawnSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { constants, setPriority } from 'node:os';
import type { Socket } from 'node:net';
import type pg from 'pg';

/** Where a thread has a priority of its own. */
const isPossible = process.platform === 'linux';

/**
 * How scheduled work gives way to people who wait for a page: `idle` computes only while nobody else wants to, and at once
 * makes room for whoever does; `low` gets a small share of a machine that others keep busy all the time.
 */
export const priorities = ['idle', 'low'] as const;
export type Priority = (typeof priorities)[number];

/** From now on, this thread computes only when hardly anybody else wants to. */
export function giveWay(): void {
  if (isPossible) setPriority(constants.priority.PRIORITY_LOW);
}

/**
 * From now on, people who wait for a page go before everything that this process does: its threads that read, clean up
 * memory and compile as well, and those that it begins later.
 */
export function giveWayWhole(priority: Priority): void {
  if (!isPossible) return;
  for (const thread of readdirSync('/proc/self/task'))
    try {
      setPriority(Number(thread), constants.priority.PRIORITY_BELOW_NORMAL);
    } catch (error) {
      if (!isOutOfReach(error)) throw error;
    }
  if (priority === 'idle') spawnSync('chrt', idleClass(process.pid, true), { stdio: 'ignore' });
}

/**
 * Asks for the scheduler's idle class, which only a program of its own can: one that waits in it never keeps a reader waiting
 * until its turn is over, as one of low priority may for some milliseconds. Where the program is missing or the system does not
 * allow it, the low priority stays.
 */
const idleClass = (pid: number, isWhole: boolean) => [
  '--idle',
  ...(isWhole ? ['--all-tasks'] : []),
  '--pid',
  '0',
  String(pid),
];

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
export async function giveWayBehind(client: pg.ClientBase, priority: Priority): Promise<boolean> {
  const pid = localProcess(client);
  if (pid === undefined) return false;
  try {
    setPriority(pid, constants.priority.PRIORITY_LOW);
  } catch (error) {
    if (isOutOfReach(error)) return false;
    throw error;
  }
  if (priority === 'idle') await new Promise((done) => execFile('chrt', idleClass(pid, false), done));
  return true;
}
