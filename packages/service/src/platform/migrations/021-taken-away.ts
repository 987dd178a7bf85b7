/** When a burst was taken away: its ledger stays. */
export const name = '021-taken-away';

export const up = 'ALTER TABLE bursts ADD COLUMN deleted_at timestamptz;';
