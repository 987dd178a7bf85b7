import pRetry from 'p-retry';

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

/**
 * Does work on the records again while the database is away, for half a minute at most.
 *
 * The work may have been done although its answer was lost: doing it again must change nothing.
 */
export const retry = <T>(work: () => Promise<T>): Promise<T> =>
  pRetry(work, {
    retries: 60,
    minTimeout: 100,
    maxTimeout: 2_000,
    maxRetryTime: 30_000,
    shouldRetry: isConnectionLost,
  });
