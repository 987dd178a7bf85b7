/** Workers hear of a job at once, rather than by asking again and again. */
export const name = '025-job-news';

export const up = `
CREATE FUNCTION tell_of_job() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('underbell_jobs', NEW.state);
  RETURN NULL;
END $$;
CREATE TRIGGER jobs_made AFTER INSERT ON jobs FOR EACH ROW EXECUTE FUNCTION tell_of_job();
CREATE TRIGGER jobs_changed AFTER UPDATE OF state, not_before ON jobs FOR EACH ROW WHEN (NEW.state <> 'leased')
  EXECUTE FUNCTION tell_of_job();
`;
