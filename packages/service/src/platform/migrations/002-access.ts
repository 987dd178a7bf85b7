/** People from elsewhere, folders, masks, requests, and tokens that narrow. */
export const name = '002-access';

export const up = `
ALTER TABLE people DROP CONSTRAINT people_state_check;
ALTER TABLE people ADD CHECK (state IN ('invited', 'active', 'guest', 'left'));
ALTER TABLE people ADD organisation text;
ALTER TABLE people ADD origin text NOT NULL DEFAULT 'here' CHECK (origin IN ('here', 'directory'));
ALTER TABLE people ADD external_id text UNIQUE;
ALTER TABLE people ADD directory_subject text UNIQUE;
ALTER TABLE people ADD changed_at timestamptz NOT NULL DEFAULT now();

ALTER TABLE sessions DROP CONSTRAINT sessions_kind_check;
ALTER TABLE sessions ADD CHECK (kind IN ('browser', 'command line', 'frame'));

ALTER TABLE groups ADD id text NOT NULL DEFAULT gen_random_uuid()::text UNIQUE;
ALTER TABLE groups ADD origin text NOT NULL DEFAULT 'here' CHECK (origin IN ('here', 'directory'));
ALTER TABLE groups ADD external_id text UNIQUE;
ALTER TABLE groups ADD changed_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE group_members ADD is_owner boolean NOT NULL DEFAULT false;
ALTER TABLE group_members DROP CONSTRAINT group_members_group_name_fkey;
ALTER TABLE group_members ADD FOREIGN KEY (group_name) REFERENCES groups ON DELETE CASCADE ON UPDATE CASCADE;

CREATE TABLE attributes (
  name text PRIMARY KEY,
  label text NOT NULL,
  type text NOT NULL CHECK (type IN ('text', 'integer', 'number', 'boolean', 'date', 'instant')),
  is_many boolean NOT NULL DEFAULT true
);
INSERT INTO attributes (name, label, type)
  SELECT DISTINCT key, initcap(replace(key, '_', ' ')), 'text' FROM people, jsonb_object_keys(attributes) AS key;

CREATE TABLE invitations (
  fingerprint text PRIMARY KEY,
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  invited_by text NOT NULL,
  created_at timestamptz NOT NULL,
  expires_at timestamptz NOT NULL,
  accepted_at timestamptz
);
CREATE TABLE sign_ins (
  state text PRIMARY KEY,
  sealed jsonb NOT NULL,
  expires_at timestamptz NOT NULL
);

CREATE TABLE folders (name text PRIMARY KEY, title text NOT NULL);
ALTER TABLE reports ADD folder_name text REFERENCES folders;
ALTER TABLE datasets ADD folder_name text REFERENCES folders;
ALTER TABLE grants ADD can_pass_on boolean NOT NULL DEFAULT false;
ALTER TABLE grants ADD given_by text NOT NULL DEFAULT '';

CREATE TABLE masks (
  dataset_name text NOT NULL REFERENCES datasets,
  name text NOT NULL,
  applies_kind text NOT NULL CHECK (applies_kind IN ('everyone', 'group', 'person', 'place')),
  applies_name text NOT NULL DEFAULT '',
  except_groups jsonb NOT NULL DEFAULT '[]',
  effect jsonb NOT NULL,
  PRIMARY KEY (dataset_name, name)
);

CREATE TABLE access_requests (
  id serial PRIMARY KEY,
  person_id text NOT NULL REFERENCES people ON DELETE CASCADE,
  thing_kind text NOT NULL,
  thing_name text NOT NULL,
  placement_name text,
  words text NOT NULL DEFAULT '',
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'granted', 'refused')),
  level text,
  answer text NOT NULL DEFAULT '',
  answered_by text,
  asked_at timestamptz NOT NULL,
  answered_at timestamptz
);
CREATE UNIQUE INDEX one_open_request ON access_requests (person_id, thing_kind, thing_name) WHERE state = 'open';

ALTER TABLE clients ADD public_keys jsonb;
ALTER TABLE clients ALTER secret_fingerprint DROP NOT NULL;
ALTER TABLE signing_keys ADD algorithm text NOT NULL DEFAULT 'ES256';
ALTER TABLE signing_keys ADD signs_from timestamptz;
ALTER TABLE signing_keys ADD retired_at timestamptz;
UPDATE signing_keys SET signs_from = created_at;
ALTER TABLE signing_keys ALTER signs_from SET NOT NULL;

ALTER TABLE access_tokens ADD parent_id text REFERENCES access_tokens;
ALTER TABLE access_tokens ADD root_id text;
ALTER TABLE access_tokens ADD key_thumbprint text;
UPDATE access_tokens SET root_id = id;
ALTER TABLE access_tokens ALTER root_id SET NOT NULL;
CREATE INDEX ON access_tokens (root_id);
CREATE INDEX ON access_tokens (parent_id);

ALTER TABLE jobs ADD not_before timestamptz;

CREATE TABLE used_once (key text PRIMARY KEY, expires_at timestamptz NOT NULL);
CREATE INDEX ON used_once (expires_at);
CREATE TABLE rate_limits (key varchar(255) PRIMARY KEY, points integer NOT NULL DEFAULT 0, expire bigint);
`;
