/** Lists of holidays that schedules leave out, and secret addresses of calendars. */
export const name = '013-holidays';

export const up = `
CREATE TABLE holidays (
  name text PRIMARY KEY,
  title text NOT NULL,
  days jsonb NOT NULL
);
CREATE TABLE calendars (
  person_id text PRIMARY KEY REFERENCES people,
  fingerprint text NOT NULL UNIQUE,
  made_at timestamptz NOT NULL,
  fetched_at timestamptz
);
`;
