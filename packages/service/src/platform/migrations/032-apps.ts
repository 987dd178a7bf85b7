/** Business apps: which placements stand in them, what each company chose, side panels and mixed pages. */
export const name = '032-apps';

const watch = (table: string) =>
  `CREATE CONSTRAINT TRIGGER ${table}_mark AFTER INSERT OR DELETE OR UPDATE ON ${table}
   DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION change_record_mark();`;

// What a company chose is kept as it was chosen, so that it can be had back; the last one counts.
export const up = `
CREATE TABLE apps (
  name text PRIMARY KEY,
  title text NOT NULL,
  origins jsonb NOT NULL DEFAULT '[]',
  client_id text REFERENCES clients(id) ON UPDATE CASCADE ON DELETE SET NULL,
  company jsonb,
  charts jsonb NOT NULL DEFAULT '[]',
  is_on boolean NOT NULL DEFAULT false,
  switched_by text,
  switched_at timestamptz,
  maker_id text NOT NULL,
  made_at timestamptz NOT NULL
);

CREATE TABLE app_places (
  placement_name text PRIMARY KEY REFERENCES placements(name) ON UPDATE CASCADE ON DELETE CASCADE,
  app_name text NOT NULL REFERENCES apps(name) ON UPDATE CASCADE ON DELETE CASCADE,
  in_panel boolean NOT NULL DEFAULT false
);
CREATE INDEX app_places_app ON app_places (app_name);

CREATE TABLE app_offers (
  place_name text NOT NULL REFERENCES app_places(placement_name) ON UPDATE CASCADE ON DELETE CASCADE,
  placement_name text NOT NULL REFERENCES app_places(placement_name) ON UPDATE CASCADE ON DELETE CASCADE,
  position integer NOT NULL,
  PRIMARY KEY (place_name, placement_name)
);

CREATE TABLE app_choices (
  id bigserial PRIMARY KEY,
  place_name text NOT NULL REFERENCES app_places(placement_name) ON UPDATE CASCADE ON DELETE CASCADE,
  company text NOT NULL,
  placement_name text REFERENCES placements(name) ON UPDATE CASCADE ON DELETE SET NULL,
  chosen_by text NOT NULL,
  chosen_at timestamptz NOT NULL
);
CREATE INDEX app_choices_place ON app_choices (place_name, company, id DESC);

CREATE TABLE app_panels (
  app_name text NOT NULL REFERENCES apps(name) ON UPDATE CASCADE ON DELETE CASCADE,
  person_id text NOT NULL,
  chosen jsonb,
  shown text,
  PRIMARY KEY (app_name, person_id)
);

CREATE TABLE app_pages (
  board_name text PRIMARY KEY REFERENCES boards(name) ON UPDATE CASCADE ON DELETE CASCADE,
  app_name text NOT NULL REFERENCES apps(name) ON UPDATE CASCADE ON DELETE CASCADE
);

${watch('apps')}
${watch('app_places')}
${watch('app_offers')}
${watch('app_choices')}
`;
