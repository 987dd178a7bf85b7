/** Team chats, their channels with members, and tabs in them; sessions that a chat vouches for. */
export const name = '031-channels';

const watch = (table: string) =>
  `CREATE CONSTRAINT TRIGGER ${table}_mark AFTER INSERT OR DELETE OR UPDATE ON ${table}
   DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();`;

// However a tab goes, with its placement or with the report that it shows, its chat has to hear of it.
// Members change often, and decide something only where a channel has tabs: who writes them changes the mark then.
export const up = `
ALTER TABLE sessions DROP CONSTRAINT sessions_kind_check;
ALTER TABLE sessions ADD CONSTRAINT sessions_kind_check CHECK (kind IN ('browser', 'command line', 'frame', 'chat'));

CREATE TABLE chats (
  name text PRIMARY KEY,
  title text NOT NULL,
  homeserver text NOT NULL,
  server_name text NOT NULL,
  address_domain text,
  guest_servers jsonb NOT NULL DEFAULT '{}',
  origins jsonb NOT NULL DEFAULT '[]',
  sealed_key text NOT NULL,
  tell_fingerprint text NOT NULL UNIQUE,
  since text,
  looked_at timestamptz,
  heard_at timestamptz,
  compared_at timestamptz,
  problem jsonb,
  maker_id text NOT NULL,
  made_at timestamptz NOT NULL
);

CREATE TABLE chat_rooms (
  chat_name text NOT NULL REFERENCES chats(name) ON UPDATE CASCADE ON DELETE CASCADE,
  room_id text NOT NULL,
  is_team boolean NOT NULL DEFAULT false,
  name text NOT NULL DEFAULT '',
  topic text NOT NULL DEFAULT '',
  levels jsonb,
  maker_user text,
  changes integer NOT NULL DEFAULT 0,
  PRIMARY KEY (chat_name, room_id)
);

CREATE TABLE team_channels (
  chat_name text NOT NULL,
  team_id text NOT NULL,
  room_id text NOT NULL,
  PRIMARY KEY (chat_name, team_id, room_id),
  FOREIGN KEY (chat_name, team_id) REFERENCES chat_rooms(chat_name, room_id) ON UPDATE CASCADE ON DELETE CASCADE
);

CREATE TABLE chat_members (
  chat_name text NOT NULL,
  room_id text NOT NULL,
  user_id text NOT NULL,
  display_name text,
  PRIMARY KEY (chat_name, room_id, user_id),
  FOREIGN KEY (chat_name, room_id) REFERENCES chat_rooms(chat_name, room_id) ON UPDATE CASCADE ON DELETE CASCADE
);
CREATE INDEX chat_members_user ON chat_members (chat_name, user_id);

CREATE TABLE chat_users (
  chat_name text NOT NULL REFERENCES chats(name) ON UPDATE CASCADE ON DELETE CASCADE,
  user_id text NOT NULL,
  person_id text NOT NULL REFERENCES people(id) ON DELETE CASCADE,
  PRIMARY KEY (chat_name, user_id)
);
CREATE INDEX chat_users_person ON chat_users (person_id);

CREATE TABLE channel_tabs (
  placement_name text PRIMARY KEY REFERENCES placements(name) ON UPDATE CASCADE ON DELETE CASCADE,
  chat_name text NOT NULL REFERENCES chats(name) ON UPDATE CASCADE ON DELETE CASCADE,
  room_id text NOT NULL,
  tab_id text NOT NULL UNIQUE,
  name text NOT NULL,
  giver_id text NOT NULL,
  state text NOT NULL DEFAULT 'on its way' CHECK (state IN ('on its way', 'placed', 'taken away')),
  problem jsonb,
  news jsonb NOT NULL DEFAULT '[]',
  made_at timestamptz NOT NULL,
  told_at timestamptz,
  data_told_at timestamptz
);
CREATE INDEX channel_tabs_room ON channel_tabs (chat_name, room_id);

CREATE TABLE chat_heard (
  chat_name text NOT NULL REFERENCES chats(name) ON UPDATE CASCADE ON DELETE CASCADE,
  told_as text NOT NULL,
  heard_at timestamptz NOT NULL,
  PRIMARY KEY (chat_name, told_as)
);

CREATE TABLE tabs_to_clear (
  chat_name text NOT NULL REFERENCES chats(name) ON UPDATE CASCADE ON DELETE CASCADE,
  room_id text NOT NULL,
  tab_id text NOT NULL,
  PRIMARY KEY (chat_name, tab_id)
);
CREATE FUNCTION keep_tab_to_clear() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO tabs_to_clear SELECT name, OLD.room_id, OLD.tab_id FROM chats WHERE name = OLD.chat_name ON CONFLICT DO NOTHING;
  RETURN NULL;
END $$;
CREATE TRIGGER channel_tabs_gone AFTER DELETE ON channel_tabs FOR EACH ROW EXECUTE FUNCTION keep_tab_to_clear();

${watch('chat_users')}
${watch('channel_tabs')}
`;
