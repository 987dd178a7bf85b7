/** Display screens: their groups, keys and playlists, what was published to which, and what each says that it shows. */
export const name = '033-screens';

const watch = (table: string) =>
  `CREATE CONSTRAINT TRIGGER ${table}_mark AFTER INSERT OR DELETE OR UPDATE ON ${table}
   DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();`;

// Keys, beats and history decide no answer that is kept: they are not watched, so that screens that live make no reader ask
// anew.
export const up = `
ALTER TABLE grants DROP CONSTRAINT grants_holder_kind_check;
ALTER TABLE grants ADD CHECK (holder_kind IN ('person', 'group', 'everyone', 'client', 'screen', 'screen-group'));

CREATE TABLE screen_attributes (
  name text PRIMARY KEY,
  label text NOT NULL,
  type text NOT NULL
);

CREATE TABLE screen_groups (
  name text PRIMARY KEY,
  title text NOT NULL,
  worry_minutes integer NOT NULL,
  lease_hours integer NOT NULL,
  otherwise text NOT NULL DEFAULT '',
  maker_id text NOT NULL
);

CREATE TABLE screens (
  name text PRIMARY KEY,
  title text NOT NULL,
  group_name text NOT NULL REFERENCES screen_groups(name) ON UPDATE CASCADE,
  attributes jsonb NOT NULL DEFAULT '{}',
  time_zone text NOT NULL,
  language text NOT NULL,
  paired_by text NOT NULL,
  paired_at timestamptz NOT NULL,
  ended_by text,
  ended_at timestamptz,
  asked jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX screens_group ON screens (group_name);

CREATE TABLE screen_keys (
  screen_name text PRIMARY KEY REFERENCES screens(name) ON UPDATE CASCADE ON DELETE CASCADE,
  key_id text NOT NULL UNIQUE,
  thumbprint text NOT NULL,
  refresh_fingerprint text NOT NULL UNIQUE,
  former_fingerprint text UNIQUE,
  renewed_at timestamptz NOT NULL
);

CREATE TABLE screen_pairings (
  device_fingerprint text PRIMARY KEY,
  user_code text NOT NULL UNIQUE,
  device jsonb NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'approved', 'refused', 'spent')),
  screen_name text REFERENCES screens(name) ON UPDATE CASCADE ON DELETE CASCADE,
  asked_at timestamptz NOT NULL,
  polled_at timestamptz,
  expires_at timestamptz NOT NULL
);

CREATE TABLE playlists (
  name text PRIMARY KEY,
  title text NOT NULL,
  definition jsonb NOT NULL,
  version integer NOT NULL,
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL
);

CREATE TABLE playlist_revisions (
  playlist_name text NOT NULL REFERENCES playlists(name) ON UPDATE CASCADE ON DELETE CASCADE,
  number integer NOT NULL,
  definition jsonb NOT NULL,
  writer_id text NOT NULL,
  published_by text NOT NULL,
  published_at timestamptz NOT NULL,
  note text NOT NULL DEFAULT '',
  PRIMARY KEY (playlist_name, number)
);

CREATE TABLE playlist_targets (
  playlist_name text NOT NULL,
  revision_number integer NOT NULL,
  target_kind text NOT NULL CHECK (target_kind IN ('screen', 'screen-group')),
  target_name text NOT NULL,
  published_at timestamptz NOT NULL,
  PRIMARY KEY (playlist_name, target_kind, target_name),
  FOREIGN KEY (playlist_name, revision_number) REFERENCES playlist_revisions ON UPDATE CASCADE ON DELETE CASCADE
);
CREATE INDEX playlist_targets_target ON playlist_targets (target_kind, target_name);

CREATE TABLE screen_interruptions (
  id bigserial PRIMARY KEY,
  group_name text NOT NULL REFERENCES screen_groups(name) ON UPDATE CASCADE ON DELETE CASCADE,
  slot jsonb NOT NULL,
  writer_id text NOT NULL,
  made_by text NOT NULL,
  made_at timestamptz NOT NULL,
  until timestamptz NOT NULL,
  ended_by text,
  ended_at timestamptz
);
CREATE INDEX screen_interruptions_group ON screen_interruptions (group_name, until);

CREATE TABLE screen_states (
  screen_name text PRIMARY KEY REFERENCES screens(name) ON UPDATE CASCADE ON DELETE CASCADE,
  beat_at timestamptz NOT NULL,
  shown jsonb NOT NULL,
  told_silent_at timestamptz
);

CREATE TABLE screen_history (
  id bigserial PRIMARY KEY,
  screen_name text NOT NULL REFERENCES screens(name) ON UPDATE CASCADE ON DELETE CASCADE,
  at timestamptz NOT NULL,
  what text NOT NULL,
  detail text NOT NULL DEFAULT ''
);
CREATE INDEX screen_history_screen ON screen_history (screen_name, id DESC);

CREATE TABLE screen_orders (
  screen_name text NOT NULL REFERENCES screens(name) ON UPDATE CASCADE ON DELETE CASCADE,
  "order" text NOT NULL,
  given_at timestamptz NOT NULL,
  PRIMARY KEY (screen_name, "order")
);

-- Whoever makes reports makes what shows them on walls.
INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level, can_pass_on, given_by)
  SELECT holder_kind, holder_name, kind, '*', level, can_pass_on, given_by
  FROM grants CROSS JOIN (VALUES ('playlist'), ('screen-group'), ('screen')) AS new(kind)
  WHERE thing_kind = 'report' AND thing_name = '*' AND level IN ('edit', 'own')
  ON CONFLICT DO NOTHING;

${watch('screen_attributes')}
${watch('screen_groups')}
${watch('screens')}
${watch('playlists')}
${watch('playlist_revisions')}
${watch('playlist_targets')}
${watch('screen_interruptions')}
`;
