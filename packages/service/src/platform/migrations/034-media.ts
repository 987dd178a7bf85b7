/** Pictures and videos for screens: each version as it was put in. Their bytes lie in files, under their hash. */
export const name = '034-media';

const watch = (table: string) =>
  `CREATE CONSTRAINT TRIGGER ${table}_mark AFTER INSERT OR DELETE OR UPDATE ON ${table}
   DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();`;

export const up = `
CREATE TABLE media (
  name text PRIMARY KEY,
  title text NOT NULL
);

CREATE TABLE media_versions (
  media_name text NOT NULL REFERENCES media(name) ON UPDATE CASCADE ON DELETE CASCADE,
  number integer NOT NULL,
  type text NOT NULL,
  file_name text NOT NULL,
  size_bytes bigint NOT NULL,
  hash text NOT NULL,
  width integer,
  height integer,
  added_by text NOT NULL,
  added_at timestamptz NOT NULL,
  PRIMARY KEY (media_name, number)
);
CREATE INDEX media_versions_hash ON media_versions (hash);

-- Whoever makes reports puts pictures beside them.
INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level, can_pass_on, given_by)
  SELECT holder_kind, holder_name, 'media', '*', level, can_pass_on, given_by
  FROM grants WHERE thing_kind = 'report' AND thing_name = '*' AND level IN ('edit', 'own')
  ON CONFLICT DO NOTHING;

${watch('media')}
${watch('media_versions')}
`;
