/** Computing in the meter, and how much of it the things of a folder may take. */
export const name = '012-costs';

export const up = `
ALTER TABLE meter ADD cpu_ms real NOT NULL DEFAULT 0;
CREATE TABLE cost_limits (
  folder_name text PRIMARY KEY REFERENCES folders,
  per text NOT NULL CHECK (per IN ('day', 'month')),
  warn_seconds double precision,
  stop_seconds double precision,
  warned_for text,
  CHECK (coalesce(warn_seconds, stop_seconds) IS NOT NULL)
);
`;
