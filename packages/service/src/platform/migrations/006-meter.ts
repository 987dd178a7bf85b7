/** What views, refreshes and deliveries cost. */
export const name = '006-meter';

export const up = `
CREATE TABLE meter (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL,
  kind text NOT NULL CHECK (kind IN ('view', 'refresh', 'delivery')),
  lane text NOT NULL CHECK (lane IN ('readers', 'planned')),
  report text,
  burst text,
  placement text,
  dataset text,
  person text,
  format text,
  is_live boolean NOT NULL DEFAULT false,
  row_count bigint NOT NULL DEFAULT 0,
  query_ms real NOT NULL DEFAULT 0,
  render_ms real NOT NULL DEFAULT 0,
  bytes bigint NOT NULL DEFAULT 0,
  hits integer NOT NULL DEFAULT 0,
  misses integer NOT NULL DEFAULT 0
);
CREATE INDEX ON meter (at);
`;
