/**
 * Rights, rules and masks are held by persons, not by addresses, which may change hands; programs hold rights of their own.
 * Programs that are registered keep what they reach: their reports, and the datasets of those on which whoever registered
 * them has a right to edit.
 */
export const name = '016-holders';

const registrant = `(SELECT people.id, people.email, people.is_administrator FROM audit JOIN people ON people.email = audit.who
    WHERE audit.thing = 'client ' || clients.id AND audit.what = 'client saved' ORDER BY audit.id DESC LIMIT 1)`;

const mayEdit = `(by_whom.is_administrator OR EXISTS (
    SELECT FROM grants AS held LEFT JOIN datasets ON datasets.name = used.name
    WHERE held.level IN ('edit', 'own')
      AND (held.holder_kind = 'everyone' OR (held.holder_kind = 'person' AND held.holder_name = by_whom.id)
        OR (held.holder_kind = 'group' AND held.holder_name IN
          (SELECT group_name FROM group_members WHERE person_id = by_whom.id)))
      AND ((held.thing_kind = 'dataset' AND held.thing_name IN ('*', used.name))
        OR (held.thing_kind = 'folder' AND held.thing_name IN ('*', datasets.folder_name)))))`;

export const up = `
ALTER TABLE grants DROP CONSTRAINT grants_holder_kind_check;
ALTER TABLE grants ADD CHECK (holder_kind IN ('person', 'group', 'everyone', 'client'));
ALTER TABLE grants ADD COLUMN bounded_by text;
UPDATE grants SET holder_name = people.id FROM people WHERE holder_kind = 'person' AND people.email = holder_name;
DELETE FROM grants WHERE holder_kind = 'person' AND holder_name NOT IN (SELECT id FROM people);
UPDATE grants SET given_by = coalesce((SELECT id FROM people WHERE people.email = given_by), '');
UPDATE record_rules SET applies_name = people.id FROM people WHERE applies_kind = 'person' AND people.email = applies_name;
UPDATE masks SET applies_name = people.id FROM people WHERE applies_kind = 'person' AND people.email = applies_name;

ALTER TABLE access_tokens ADD COLUMN giver_id text;

INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level, given_by, bounded_by)
  SELECT 'client', clients.id, 'report', report.name,
    CASE WHEN clients.bounds->'actions' ? 'export' THEN 'export' ELSE 'view' END, by_whom.id, by_whom.id
  FROM clients CROSS JOIN LATERAL ${registrant} AS by_whom
    CROSS JOIN LATERAL jsonb_array_elements_text(clients.bounds->'reports') AS report(name)
  WHERE clients.state = 'active'
  ON CONFLICT DO NOTHING;
INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level, given_by)
  SELECT DISTINCT 'client', clients.id, 'dataset', used.name,
    CASE WHEN clients.bounds->'actions' ? 'export' THEN 'export' ELSE 'view' END, by_whom.id
  FROM clients CROSS JOIN LATERAL ${registrant} AS by_whom
    CROSS JOIN LATERAL jsonb_array_elements_text(clients.bounds->'reports') AS report(name)
    JOIN reports ON reports.name = report.name
    JOIN editions ON editions.report_name = reports.name AND editions.number = reports.edition_number
    CROSS JOIN LATERAL jsonb_object_keys(editions.definition->'datasets') AS used(name)
  WHERE clients.state = 'active' AND ${mayEdit}
  ON CONFLICT DO NOTHING;
INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level, given_by)
  SELECT 'person', by_whom.id, 'client', clients.id, 'own', by_whom.id
  FROM clients CROSS JOIN LATERAL ${registrant} AS by_whom
  ON CONFLICT DO NOTHING;
`;
