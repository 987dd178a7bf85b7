/** Missed starts of bursts are kept. Every process says that it lives, how its clock stands, and how many connections it may open. */
export const name = '038-processes';

export const up = `
ALTER TABLE workers RENAME TO processes;
ALTER TABLE processes ADD COLUMN role text NOT NULL DEFAULT 'worker' CHECK (role IN ('web', 'worker', 'all'));
ALTER TABLE processes ADD COLUMN is_worker boolean NOT NULL DEFAULT true;
ALTER TABLE processes ADD COLUMN connections integer NOT NULL DEFAULT 0;
ALTER TABLE processes ADD COLUMN clock_off_ms bigint NOT NULL DEFAULT 0;
CREATE TABLE missed_starts (
  burst_name text NOT NULL REFERENCES bursts (name) ON UPDATE CASCADE ON DELETE CASCADE,
  at timestamptz NOT NULL,
  outcome text NOT NULL CHECK (outcome IN ('started late', 'skipped', 'covered')),
  period text,
  decided_at timestamptz NOT NULL,
  PRIMARY KEY (burst_name, at)
);
-- When a copy is offered again that its host did not take yet.
ALTER TABLE deliveries ADD COLUMN next_try_at timestamptz;
CREATE TABLE names_version (id integer PRIMARY KEY DEFAULT 1 CHECK (id = 1), version bigint NOT NULL DEFAULT 1);
INSERT INTO names_version DEFAULT VALUES;
-- Definitions that were saved beside a renaming may still say the former name.
INSERT INTO jobs (kind, payload, created_at) VALUES ('names.repair', '{}', now());
`;
