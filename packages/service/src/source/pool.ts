import pg from 'pg';
import { GuardedSocket, guardRefusal, laneBounds, perInstance, type App, type PoolName } from '../platform/index.ts';
import { checkSourceAddress, sourceReach } from './address.ts';
import { sourceRefusal } from './postgres.ts';
import { sourceUrl } from './store.ts';
import { notFound } from '../access/index.ts';

const pools = perInstance(() => new Map<string, pg.Pool>());

/**
 * Read-only connections to a source that live datasets ask; they close by themselves when nobody asks. Each lane has its
 * own: a burst's scan neither takes readers' connections nor ends by their clock.
 */
async function poolOf(app: App, source: string, lane: PoolName): Promise<pg.Pool> {
  const url = await sourceUrl(app, source);
  if (url === undefined) throw notFound('source', source, []);
  const known = pools(app);
  const key = `${lane} ${source} ${url}`;
  const found = known.get(key);
  if (found) return found;
  await checkSourceAddress(app.settings, url);
  const reach = await sourceReach(app.settings, url);
  const pool = new pg.Pool({
    connectionString: url,
    stream: () => new GuardedSocket(reach),
    max: app.settings.connections[lane],
    idleTimeoutMillis: 5_000,
    connectionTimeoutMillis: 10_000,
    allowExitOnIdle: true,
    statement_timeout: laneBounds[lane].statementMs,
    application_name: `underbell live ${lane}`,
    options: '-c default_transaction_read_only=on -c timezone=UTC -c datestyle=ISO',
  });
  // An idle connection that the source closes is replaced at the next use.
  pool.on('error', () => undefined);
  // One in use tells whoever waits for its answer; nobody else has to hear.
  pool.on('connect', (client) => client.on('error', () => undefined));
  known.set(key, pool);
  app.atClose.add(() => pool.end());
  return pool;
}

/** A connection to a source. The caller gives it back. @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED` */
export async function connectLive(app: App, source: string, lane: PoolName): Promise<pg.PoolClient> {
  const pool = await poolOf(app, source, lane);
  try {
    return await pool.connect();
  } catch (cause) {
    throw guardRefusal(cause) ?? sourceRefusal(cause, source);
  }
}
