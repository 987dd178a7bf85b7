/**
 * A worker that died counts, a claim does not. Progress of a load changes nothing that readers see. Workers say that they
 * live.
 */
export const name = '017-queue';

export const up = `
ALTER TABLE jobs ADD COLUMN deaths integer NOT NULL DEFAULT 0;
CREATE INDEX jobs_by_state ON jobs (state, kind, id);

DROP TRIGGER revisions_mark ON revisions;
CREATE CONSTRAINT TRIGGER revisions_mark AFTER INSERT OR DELETE
  OR UPDATE OF dataset_name, number, columns, table_name, state, finished_at ON revisions
  DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();

CREATE TABLE workers (id text PRIMARY KEY, host text NOT NULL, process integer NOT NULL,
  started_at timestamptz NOT NULL, seen_at timestamptz NOT NULL);

CREATE INDEX sessions_by_end ON sessions (expires_at);
CREATE INDEX access_tokens_by_end ON access_tokens (expires_at);
CREATE INDEX meter_by_time ON meter (at);
`;
