/** Things can be given another name: what refers to them follows, and their former names lead to them. */
export const name = '022-names';

/** References that follow a name; `gone`: and go with what they refer to. */
const references: readonly (readonly [table: string, column: string, to: string, gone?: 'gone'])[] = [
  ['editions', 'report_name', 'reports', 'gone'],
  ['placements', 'report_name', 'reports', 'gone'],
  ['revisions', 'dataset_name', 'datasets', 'gone'],
  ['record_rules', 'dataset_name', 'datasets', 'gone'],
  ['masks', 'dataset_name', 'datasets', 'gone'],
  ['datasets', 'source_name', 'sources'],
  ['reports', 'folder_name', 'folders'],
  ['boards', 'folder_name', 'folders'],
  ['datasets', 'folder_name', 'folders'],
  ['folders', 'parent_name', 'folders'],
  ['cost_limits', 'folder_name', 'folders', 'gone'],
  ['list_rows', 'list_name', 'lists', 'gone'],
  ['runs', 'burst_name', 'bursts'],
  ['deliveries', 'burst_name', 'bursts'],
  ['unsubscribed', 'burst_name', 'bursts'],
  ['destination_turns', 'destination_name', 'destinations', 'gone'],
];

const follow = ([table, column, to, gone]: (typeof references)[number]) => `
ALTER TABLE ${table} DROP CONSTRAINT ${table}_${column}_fkey;
ALTER TABLE ${table} ADD FOREIGN KEY (${column}) REFERENCES ${to} ON UPDATE CASCADE${gone ? ' ON DELETE CASCADE' : ''};`;

export const up = `
${references.map(follow).join('')}
ALTER TABLE reports ADD naming integer NOT NULL DEFAULT 0;
CREATE TABLE former_names (
  kind text NOT NULL,
  name text NOT NULL,
  now_name text NOT NULL,
  PRIMARY KEY (kind, name)
);
CREATE INDEX ON former_names (kind, now_name);
CREATE CONSTRAINT TRIGGER former_names_mark AFTER INSERT OR DELETE OR UPDATE ON former_names
  DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();

-- Each capability that hears of an event has a job of its own.
UPDATE jobs SET kind = 'dataset.refreshed for burst' WHERE kind = 'dataset.refreshed';
`;
