/** Answers of writes that came with a key, so that the same request is done once. */
export const name = '020-idempotency';

export const up = `
CREATE TABLE idempotency_keys (
  key text PRIMARY KEY,
  request text NOT NULL,
  status integer,
  sealed_answer text,
  created_at timestamptz NOT NULL
);
CREATE INDEX ON idempotency_keys (created_at);
`;
