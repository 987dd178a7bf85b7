import { setTimeout } from 'node:timers/promises';

/** What PostgreSQL and its driver say when a connection ends under a query, or cannot be made while the server starts. */
const lostCodes = /^(57P0[123]|08\d{3}|ECONNRESET|ECONNREFUSED|EPIPE)$/;
const lostWords =
  /Connection terminated|Client has encountered a connection error|ConnectionManager.getConnection was called after/i;

/** Whether an error means that the database went away, rather than that it refused. */
export function isConnectionLost(error: unknown): boolean {
  for (let one = error; one instanceof Error; one = one.cause ?? (one as { parent?: unknown }).parent) {
    const { code } = one as { code?: string };
    if (code !== undefined && lostCodes.test(code)) return true;
    if (/^SequelizeConnection/.test(one.name) || lostWords.test(one.message)) return true;
  }
  return false;
}

const firstWaitMs = 100;
const longestMs = 30_000;

/**
 * Does work on the records again while the database is away, for half a minute at most.
 *
 * The work may have been done although its answer was lost: doing it again must change nothing.
 */
export async function patiently<T>(work: () => Promise<T>): Promise<T> {
  const start = performance.now();
  for (let wait = firstWaitMs; ; wait = Math.min(wait * 2, 2_000)) {
    try {
      return await work();
    } catch (error) {
      if (!isConnectionLost(error) || performance.now() - start > longestMs) throw error;
      await setTimeout(wait);
    }
  }
}
