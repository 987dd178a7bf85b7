/** Since when a burst awaits that its data is loaded anew: what was loaded before starts nothing. */
export const name = '014-awaited';

export const up = 'ALTER TABLE bursts ADD COLUMN awaits_since timestamptz;';
