/** When sessions and access tokens were used last. */
export const name = '029-last-uses';

export const up = `
CREATE TABLE last_uses (
  kind text NOT NULL,
  id text NOT NULL,
  at timestamptz NOT NULL,
  PRIMARY KEY (kind, id)
);
`;
