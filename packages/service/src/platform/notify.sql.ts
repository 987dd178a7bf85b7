import { changeChannel, type Change } from './changes.ts';
import { querySql } from './records/index.ts';
import type { Sequelize } from 'sequelize';

// Models know nothing of the server's notifications.

/** Tells every process, when and only if the transaction commits. */
export async function announce(app: { readonly records: Sequelize }, change: Change): Promise<void> {
  await querySql(app, 'SELECT pg_notify($channel, $payload)', {
    channel: changeChannel,
    payload: JSON.stringify(change),
  });
}
