/** Boards, nested folders, the bin, pinned and retired editions, uploads that are looked at first, refreshes on schedule. */
export const name = '003-reports';

export const up = `
ALTER TABLE folders ADD parent_name text REFERENCES folders;
ALTER TABLE reports ADD deleted_at timestamptz;
ALTER TABLE reports ADD deleted_by text;
ALTER TABLE datasets ADD deleted_at timestamptz;
ALTER TABLE datasets ADD deleted_by text;
ALTER TABLE editions ADD retired_at timestamptz;
ALTER TABLE placements ADD edition_number integer;

CREATE TABLE boards (
  name text PRIMARY KEY,
  title text NOT NULL,
  definition jsonb NOT NULL,
  version integer NOT NULL DEFAULT 1,
  folder_name text REFERENCES folders,
  changed_at timestamptz NOT NULL,
  changed_by text NOT NULL,
  deleted_at timestamptz,
  deleted_by text
);

CREATE TABLE favourites (
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  kind text NOT NULL,
  name text NOT NULL,
  PRIMARY KEY (person_id, kind, name)
);
CREATE TABLE recents (
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  kind text NOT NULL,
  name text NOT NULL,
  at timestamptz NOT NULL,
  PRIMARY KEY (person_id, kind, name)
);

ALTER TABLE datasets ADD description text NOT NULL DEFAULT '';
ALTER TABLE datasets ADD kind text NOT NULL DEFAULT 'snapshot' CHECK (kind IN ('snapshot', 'live'));
ALTER TABLE datasets ADD keep_seconds integer;
ALTER TABLE datasets ADD schedule jsonb;
ALTER TABLE datasets ADD next_refresh_at timestamptz;
ALTER TABLE datasets ADD stale_since timestamptz;
ALTER TABLE datasets ADD stale_reason text;
ALTER TABLE datasets ADD hook_fingerprint text;
ALTER TABLE datasets ADD owner_email text;
CREATE INDEX ON datasets (next_refresh_at) WHERE next_refresh_at IS NOT NULL;

ALTER TABLE revisions DROP CONSTRAINT revisions_state_check;
ALTER TABLE revisions ADD CHECK (state IN ('loading', 'ready', 'failed', 'refused', 'stopped', 'dropped'));
ALTER TABLE revisions ADD cause text NOT NULL DEFAULT 'hand' CHECK (cause IN ('hand', 'schedule', 'upload', 'webhook'));
ALTER TABLE revisions ADD started_by text NOT NULL DEFAULT '';
ALTER TABLE revisions ADD impact jsonb NOT NULL DEFAULT '[]';
ALTER TABLE revisions ADD stop_asked boolean NOT NULL DEFAULT false;

CREATE TABLE uploads (
  id text PRIMARY KEY,
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  file_name text NOT NULL,
  kind text NOT NULL CHECK (kind IN ('csv', 'jsonl', 'xlsx')),
  path text NOT NULL,
  size_bytes bigint NOT NULL,
  row_count bigint NOT NULL,
  columns jsonb NOT NULL,
  created_at timestamptz NOT NULL
);
ALTER TABLE sources ADD checked_at timestamptz;
ALTER TABLE sources ADD check_error text;
`;
