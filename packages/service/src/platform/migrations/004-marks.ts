/** A mark that changes with every record that decides what a reader sees, so that processes may keep those records. */
export const name = '004-marks';

/** What a viewing is decided by. Of people, signing in changes columns that decide nothing. */
const decisive = [
  'group_members',
  'grants',
  'folders',
  'record_rules',
  'masks',
  'reports',
  'editions',
  'boards',
  'placements',
  'datasets',
  'revisions',
  'clients',
];
const personColumns = 'email, name, is_administrator, state, attributes, organisation, origin';

const watch = (table: string, events: string) =>
  `CREATE CONSTRAINT TRIGGER ${table}_mark AFTER ${events} ON ${table}
   DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();`;

// The mark is a random name rather than a count: one that was restored from a copy never equals a later one.
// Once for each transaction and as its last act, so that nobody waits long for the single row, or in a circle.
export const up = `
CREATE TABLE record_mark (id integer PRIMARY KEY DEFAULT 1 CHECK (id = 1), mark uuid NOT NULL DEFAULT gen_random_uuid());
INSERT INTO record_mark DEFAULT VALUES;

CREATE FUNCTION change_record_mark() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF current_setting('underbell.marked', true) IS DISTINCT FROM txid_current()::text THEN
    UPDATE record_mark SET mark = gen_random_uuid();
    PERFORM set_config('underbell.marked', txid_current()::text, true);
  END IF;
  RETURN NULL;
END $$;

${watch('people', `INSERT OR DELETE OR UPDATE OF ${personColumns}`)}
${decisive.map((table) => watch(table, 'INSERT OR DELETE OR UPDATE')).join('\n')}
`;
