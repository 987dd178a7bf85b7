import { readdirSync, readFileSync } from 'node:fs';
import { constants, setPriority } from 'node:os';
import type { Socket } from 'node:net';
import type pg from 'pg';

/** Where a thread has a priority of its own. */
const isPossible = process.platform === 'linux';

/** From now on, this thread computes only when hardly anybody else wants to. */
export function giveWay(): void {
  if (isPossible) setPriority(constants.priority.PRIORITY_LOW);
}

/**
 * From now on, people who wait for a page go before everything that this process does: its threads that read, clean up
 * memory and compile as well, and those that it begins later.
 */
export function giveWayWhole(): void {
  if (!isPossible) return;
  for (const thread of readdirSync('/proc/self/task'))
    try {
      setPriority(Number(thread), constants.priority.PRIORITY_BELOW_NORMAL);
    } catch (error) {
      if (!isOutOfReach(error)) throw error;
    }
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
export function giveWayBehind(client: pg.ClientBase): boolean {
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
