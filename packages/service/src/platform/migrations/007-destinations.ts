/** Named destinations with limits and a state of their own, and prepared workbooks. */
export const name = '007-destinations';

export const up = `
CREATE TABLE destinations (
  name text PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('mail', 'library', 'directory', 'webhook')),
  address text NOT NULL,
  sealed text,
  rates jsonb NOT NULL DEFAULT '[]',
  parallel integer NOT NULL DEFAULT 5 CHECK (parallel > 0),
  state text NOT NULL DEFAULT 'ready' CHECK (state IN ('ready', 'failing', 'paused')),
  reason text,
  state_at timestamptz,
  failures integer NOT NULL DEFAULT 0,
  tested_at timestamptz,
  test_error text
);
INSERT INTO destinations (name, kind, address) VALUES ('mail', 'mail', '');
CREATE TABLE destination_turns (
  destination_name text NOT NULL REFERENCES destinations ON DELETE CASCADE,
  at timestamptz NOT NULL
);
CREATE INDEX ON destination_turns (destination_name, at);

CREATE TABLE templates (
  name text NOT NULL,
  version integer NOT NULL,
  target jsonb NOT NULL,
  file_name text NOT NULL,
  bytes bytea NOT NULL,
  summary jsonb NOT NULL,
  loaded_at timestamptz NOT NULL,
  loaded_by text NOT NULL,
  PRIMARY KEY (name, version)
);
ALTER TABLE runs ADD template_version integer;

ALTER TABLE deliveries ADD destination text NOT NULL DEFAULT 'mail';
ALTER TABLE deliveries ADD places jsonb;
CREATE INDEX ON deliveries (destination) WHERE state = 'sending';

-- Whoever makes bursts makes what bursts need.
INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level)
  SELECT holder_kind, holder_name, kind, '*', level FROM grants, unnest(ARRAY['template', 'destination']) AS kind
  WHERE thing_kind = 'burst' AND thing_name = '*'
  ON CONFLICT DO NOTHING;
`;
