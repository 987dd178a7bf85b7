import pRetry from 'p-retry';

/**
 * What PostgreSQL and its driver say when a connection ends under a query, or cannot be made while the server starts or has
 * as many as it may.
 *
 * @see PostgreSQL, appendix A: error codes
 */
const lostCodes = /^(57P0[123]|53300|25P03|08\d{3}|ECONNRESET|ECONNREFUSED|EPIPE)$/;
/** Two transactions were in each other's way, and one was chosen to come again: serialization failure, deadlock, a lock
 * that was waited for too long. */
const collidedCodes = /^(40001|40P01|55P03)$/;
const lostWords =
  /Connection terminated|Client has encountered a connection error|ConnectionManager.getConnection was called after/i;

/** Whether an error means that the database went away, rather than that it refused. */
export const isConnectionLost = (error: unknown): boolean =>
  causesOf(error).some(
    (one) => hasCode(one, lostCodes) || /^SequelizeConnection/.test(one.name) || lostWords.test(one.message),
  );

/** Whether the same work, done again, may well go through: nothing of it was done. */
export const isCollision = (error: unknown): boolean => causesOf(error).some((one) => hasCode(one, collidedCodes));

function causesOf(error: unknown): Error[] {
  const found: Error[] = [];
  for (let one = error; one instanceof Error; one = one.cause ?? (one as { parent?: unknown }).parent) found.push(one);
  return found;
}

function hasCode(error: Error, codes: RegExp): boolean {
  const { code } = error as { code?: string };
  return code !== undefined && codes.test(code);
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
    shouldRetry: (error) => isConnectionLost(error) || isCollision(error),
  });
