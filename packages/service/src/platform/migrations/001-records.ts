/** The first records. A merged migration is never edited; changes are new files. */
export const name = '001-records';

export const up = `
CREATE SCHEMA data;

CREATE TABLE settings (name text PRIMARY KEY, value jsonb NOT NULL);

CREATE TABLE people (
  id text PRIMARY KEY,
  email text NOT NULL UNIQUE CHECK (email = lower(email)),
  name text NOT NULL,
  password_hash text,
  is_administrator boolean NOT NULL DEFAULT false,
  state text NOT NULL DEFAULT 'active' CHECK (state IN ('active', 'left')),
  attributes jsonb NOT NULL DEFAULT '{}',
  failed_sign_ins integer NOT NULL DEFAULT 0,
  locked_until timestamptz
);
CREATE TABLE groups (name text PRIMARY KEY);
CREATE TABLE group_members (
  group_name text NOT NULL REFERENCES groups ON DELETE CASCADE,
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  PRIMARY KEY (group_name, person_id)
);
CREATE TABLE sessions (
  fingerprint text PRIMARY KEY,
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  kind text NOT NULL CHECK (kind IN ('browser', 'command line')),
  created_at timestamptz NOT NULL,
  expires_at timestamptz NOT NULL
);
CREATE TABLE grants (
  id serial PRIMARY KEY,
  holder_kind text NOT NULL CHECK (holder_kind IN ('person', 'group', 'everyone')),
  holder_name text NOT NULL DEFAULT '',
  thing_kind text NOT NULL,
  thing_name text NOT NULL,
  level text NOT NULL CHECK (level IN ('view', 'export', 'edit', 'own')),
  UNIQUE (holder_kind, holder_name, thing_kind, thing_name)
);

CREATE TABLE sources (name text PRIMARY KEY, sealed_url text NOT NULL, shown_url text NOT NULL);
CREATE TABLE datasets (
  name text PRIMARY KEY,
  title text NOT NULL,
  source_name text REFERENCES sources,
  sql text,
  columns jsonb NOT NULL,
  row_order jsonb NOT NULL DEFAULT '[]',
  revision_id integer
);
CREATE TABLE revisions (
  id serial PRIMARY KEY,
  dataset_name text NOT NULL REFERENCES datasets,
  number integer NOT NULL,
  columns jsonb NOT NULL,
  table_name text NOT NULL,
  row_count bigint NOT NULL DEFAULT 0,
  state text NOT NULL CHECK (state IN ('loading', 'ready', 'failed', 'dropped')),
  error text,
  started_at timestamptz NOT NULL,
  finished_at timestamptz,
  UNIQUE (dataset_name, number)
);
ALTER TABLE datasets ADD FOREIGN KEY (revision_id) REFERENCES revisions;
CREATE TABLE record_rules (
  name text NOT NULL,
  dataset_name text NOT NULL REFERENCES datasets,
  applies_kind text NOT NULL CHECK (applies_kind IN ('everyone', 'group', 'person')),
  applies_name text NOT NULL DEFAULT '',
  condition text NOT NULL,
  PRIMARY KEY (dataset_name, name)
);

CREATE TABLE reports (name text PRIMARY KEY, title text NOT NULL, edition_number integer NOT NULL);
CREATE TABLE editions (
  report_name text NOT NULL REFERENCES reports,
  number integer NOT NULL,
  definition jsonb NOT NULL,
  notes text NOT NULL DEFAULT '',
  published_by text NOT NULL,
  published_at timestamptz NOT NULL,
  PRIMARY KEY (report_name, number)
);
CREATE TABLE placements (
  name text PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('portal', 'channel', 'app', 'screen', 'link')),
  title text NOT NULL,
  report_name text NOT NULL REFERENCES reports,
  page text,
  conditions jsonb NOT NULL DEFAULT '{}',
  parameters jsonb NOT NULL DEFAULT '{}',
  origins jsonb NOT NULL DEFAULT '[]'
);

CREATE TABLE clients (
  id text PRIMARY KEY,
  title text NOT NULL,
  secret_fingerprint text NOT NULL,
  bounds jsonb NOT NULL,
  state text NOT NULL DEFAULT 'active' CHECK (state IN ('active', 'revoked'))
);
CREATE TABLE signing_keys (id text PRIMARY KEY, public_jwk jsonb NOT NULL, sealed_private_jwk text NOT NULL, created_at timestamptz NOT NULL);
CREATE TABLE access_tokens (
  id text PRIMARY KEY,
  client_id text NOT NULL REFERENCES clients,
  details jsonb NOT NULL,
  issued_at timestamptz NOT NULL,
  expires_at timestamptz NOT NULL,
  revoked_at timestamptz
);
CREATE INDEX ON access_tokens (client_id, expires_at);

CREATE TABLE lists (
  name text PRIMARY KEY,
  columns jsonb NOT NULL,
  id_column text NOT NULL,
  address_column text NOT NULL,
  version integer NOT NULL,
  loaded_at timestamptz NOT NULL
);
CREATE TABLE list_rows (
  list_name text NOT NULL REFERENCES lists,
  version integer NOT NULL,
  position integer NOT NULL,
  recipient text NOT NULL,
  address text NOT NULL,
  cells jsonb NOT NULL,
  PRIMARY KEY (list_name, version, position),
  UNIQUE (list_name, version, recipient)
);
CREATE TABLE bursts (name text PRIMARY KEY, definition jsonb NOT NULL, owner_id text NOT NULL REFERENCES people);
CREATE TABLE runs (
  id serial PRIMARY KEY,
  burst_name text NOT NULL REFERENCES bursts,
  occurrence text NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'partly', 'failed', 'stopped')),
  phase text NOT NULL DEFAULT '',
  definition jsonb NOT NULL,
  edition_number integer NOT NULL,
  revisions jsonb NOT NULL,
  sender_id text NOT NULL REFERENCES people,
  stop_asked boolean NOT NULL DEFAULT false,
  rows_read bigint NOT NULL DEFAULT 0,
  error text,
  created_at timestamptz NOT NULL,
  started_at timestamptz,
  finished_at timestamptz
);
CREATE UNIQUE INDEX one_active_run ON runs (burst_name) WHERE state IN ('waiting', 'running');
CREATE TABLE deliveries (
  id serial PRIMARY KEY,
  run_id integer NOT NULL REFERENCES runs,
  burst_name text NOT NULL REFERENCES bursts,
  occurrence text NOT NULL,
  recipient text NOT NULL,
  address text NOT NULL,
  repeat integer NOT NULL DEFAULT 0,
  value jsonb,
  row_count bigint NOT NULL DEFAULT 0,
  files jsonb NOT NULL DEFAULT '[]',
  state text NOT NULL CHECK (state IN ('planned', 'skipped', 'rendered', 'sending', 'sent', 'failed', 'in doubt')),
  reason text,
  message_id text,
  changed_at timestamptz NOT NULL,
  UNIQUE (run_id, recipient)
);
CREATE UNIQUE INDEX one_copy_each ON deliveries (burst_name, occurrence, recipient, repeat) WHERE state NOT IN ('skipped', 'failed');

CREATE TABLE jobs (
  id serial PRIMARY KEY,
  kind text NOT NULL,
  payload jsonb NOT NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'leased', 'done', 'failed')),
  attempts integer NOT NULL DEFAULT 0,
  lease text,
  lease_until timestamptz,
  error text,
  created_at timestamptz NOT NULL
);
CREATE INDEX ON jobs (state, lease_until);

CREATE TABLE audit (
  id serial PRIMARY KEY,
  at timestamptz NOT NULL,
  who text NOT NULL,
  what text NOT NULL,
  thing text NOT NULL,
  origin text NOT NULL DEFAULT '',
  before jsonb,
  after jsonb,
  previous_hash text NOT NULL,
  hash text NOT NULL
);
`;
