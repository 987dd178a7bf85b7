import type { Sequelize } from 'sequelize';
import { connectionName } from './pool.ts';
import { querySql } from './records/index.ts';

// What connections do is told by a view of the server's own.

/** Seconds after somebody's last query in which they are taken to be still looking: pages ask several one after the other. */
const lookingSeconds = 3;

/** Whether people are looking at something just now, whichever process answers them. */
export async function hasActiveReaders(records: Sequelize): Promise<boolean> {
  const [found] = await querySql<{ is: boolean }>(
    { records },
    `SELECT EXISTS (SELECT FROM pg_stat_activity WHERE datname = current_database() AND application_name = $name
       AND (state = 'active' OR (query <> '' AND state_change > clock_timestamp() - make_interval(secs => $seconds)))) AS is`,
    { name: connectionName('readers'), seconds: lookingSeconds },
  );
  return found!.is;
}
