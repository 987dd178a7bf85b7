/** Files of elsewhere that are followed: replaced there, they become the next edition or revision here. */
export const name = '027-followed-files';

export const up = `
CREATE TABLE followed_files (
  name text PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('report', 'board', 'dataset')),
  thing_name text,
  address text NOT NULL,
  username text,
  sealed_password text,
  schedule jsonb,
  next_at timestamptz,
  hook_fingerprint text UNIQUE,
  etag text,
  last_modified text,
  digest text,
  checking_until timestamptz,
  checked_at timestamptz,
  changed_at timestamptz,
  problem jsonb,
  owner_id text NOT NULL,
  made_at timestamptz NOT NULL
);
CREATE INDEX ON followed_files (next_at);
`;
