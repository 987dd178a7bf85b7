/** What each copy was cut by and its filter in words; how recipients want theirs; who released a run. */
export const name = '009-cuts';

export const up = `
ALTER TABLE deliveries ADD cut jsonb;
ALTER TABLE deliveries ADD filter text;
ALTER TABLE lists ADD roles jsonb NOT NULL DEFAULT '{}';
ALTER TABLE lists ADD types jsonb NOT NULL DEFAULT '{}';
ALTER TABLE list_rows ADD language text;
ALTER TABLE list_rows ADD time_zone text;
ALTER TABLE list_rows ADD formats jsonb;
ALTER TABLE runs ADD released_by text;
ALTER TABLE runs DROP CONSTRAINT runs_state_check;
ALTER TABLE runs ADD CHECK (state IN ('held', 'waiting', 'running', 'paused', 'done', 'partly', 'failed', 'stopped'));
ALTER TABLE runs DROP CONSTRAINT runs_cause_check;
ALTER TABLE runs ADD CHECK (cause IN ('hand', 'schedule', 'refresh'));
`;
