/**
 * Placements show a report, one of its pages, one of its figures, or a board; they say how they look, who made them, whether
 * they rest, which hosts show them and what went wrong in them. What was the page of a placement was where it began.
 */
export const name = '024-placements';

const made = (what: string) => `(SELECT ${what} FROM audit LEFT JOIN people ON people.email = audit.who
    WHERE audit.thing = 'placement ' || placements.name AND audit.what = 'placement saved' ORDER BY audit.id LIMIT 1)`;

export const up = `
ALTER TABLE placements
  ALTER COLUMN report_name DROP NOT NULL,
  ADD COLUMN board_name text REFERENCES boards ON UPDATE CASCADE ON DELETE CASCADE,
  ADD COLUMN figure text,
  ADD COLUMN first_page text,
  ADD COLUMN look jsonb NOT NULL DEFAULT '{}',
  ADD COLUMN suspended_at timestamptz,
  ADD COLUMN maker_id text,
  ADD COLUMN made_at timestamptz,
  ADD CONSTRAINT shows_one_thing CHECK ((report_name IS NULL) <> (board_name IS NULL)),
  ADD CONSTRAINT figure_of_a_page CHECK (figure IS NULL OR page IS NOT NULL);

CREATE TABLE placement_hosts (
  placement_name text NOT NULL REFERENCES placements ON UPDATE CASCADE ON DELETE CASCADE,
  origin text NOT NULL,
  seen_at timestamptz NOT NULL,
  PRIMARY KEY (placement_name, origin)
);
CREATE TABLE placement_problems (
  placement_name text NOT NULL REFERENCES placements ON UPDATE CASCADE ON DELETE CASCADE,
  code text NOT NULL,
  hour timestamptz NOT NULL,
  count integer NOT NULL,
  PRIMARY KEY (placement_name, code, hour)
);
CREATE INDEX ON placement_problems (hour);
ALTER TABLE meter ADD COLUMN board text;
CREATE INDEX meter_by_placement ON meter (placement, at) WHERE placement IS NOT NULL;
-- Last: a table whose rows were changed just now cannot be altered while references to it are still to be checked.
UPDATE placements SET first_page = page, page = NULL, maker_id = ${made('people.id')}, made_at = ${made('audit.at')};
`;
