/** Runs that can be paused, tried out on their sender, and started by a schedule. */
export const name = '005-runs';

export const up = `
ALTER TABLE bursts ADD next_run_at timestamptz;
CREATE INDEX ON bursts (next_run_at) WHERE next_run_at IS NOT NULL;

ALTER TABLE runs DROP CONSTRAINT runs_state_check;
ALTER TABLE runs ADD CHECK (state IN ('waiting', 'running', 'paused', 'done', 'partly', 'failed', 'stopped'));
ALTER TABLE runs ADD pause_asked boolean NOT NULL DEFAULT false;
ALTER TABLE runs ADD is_test boolean NOT NULL DEFAULT false;
ALTER TABLE runs ADD cause text NOT NULL DEFAULT 'hand' CHECK (cause IN ('hand', 'schedule'));

ALTER TABLE deliveries ADD is_test boolean NOT NULL DEFAULT false;
ALTER TABLE deliveries ADD attempts integer NOT NULL DEFAULT 0;
DROP INDEX one_copy_each;
CREATE UNIQUE INDEX one_copy_each ON deliveries (burst_name, occurrence, recipient, repeat)
  WHERE state NOT IN ('skipped', 'failed') AND NOT is_test;

ALTER TABLE runs ADD kept_until timestamptz;
CREATE INDEX ON runs (kept_until) WHERE kept_until IS NOT NULL;
CREATE TABLE copy_links (
  delivery_id integer NOT NULL REFERENCES deliveries,
  position integer NOT NULL,
  run_id integer NOT NULL REFERENCES runs,
  needs_sign_in boolean NOT NULL,
  expires_at timestamptz NOT NULL,
  recalled_at timestamptz,
  fetched integer NOT NULL DEFAULT 0,
  fetched_at timestamptz,
  PRIMARY KEY (delivery_id, position)
);
CREATE INDEX ON copy_links (run_id);
`;
