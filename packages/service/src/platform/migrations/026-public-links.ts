/** Links by which everybody who knows them sees a placement. */
export const name = '026-public-links';

export const up = `
CREATE TABLE public_links (
  id uuid PRIMARY KEY,
  placement_name text NOT NULL REFERENCES placements ON UPDATE CASCADE ON DELETE CASCADE,
  fingerprint text NOT NULL UNIQUE,
  sealed_key text NOT NULL,
  note text NOT NULL,
  until timestamptz NOT NULL,
  maker_id text NOT NULL,
  made_at timestamptz NOT NULL,
  ended_at timestamptz,
  ended_by text,
  views integer NOT NULL DEFAULT 0,
  last_viewed_at timestamptz
);
CREATE INDEX ON public_links (placement_name);
`;
