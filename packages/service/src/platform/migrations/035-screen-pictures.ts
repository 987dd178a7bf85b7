/**
 * What screens really show: the last small picture that each sent of itself; and whether it was told that what is on one is
 * old. They decide no answer, and are not watched.
 */
export const name = '035-screen-pictures';

export const up = `
CREATE TABLE screen_pictures (
  screen_name text PRIMARY KEY REFERENCES screens(name) ON UPDATE CASCADE ON DELETE CASCADE,
  taken_at timestamptz NOT NULL,
  bytes bytea NOT NULL
);

ALTER TABLE screen_states ADD COLUMN told_stale_at timestamptz;
`;
