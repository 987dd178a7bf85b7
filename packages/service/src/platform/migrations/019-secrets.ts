/** A client's secret before the one that holds now, for as long as both do; who owns a group is no member of it by that; what is asked for and does not exist. */
export const name = '019-secrets';

export const up = `
ALTER TABLE clients ADD COLUMN former_fingerprint text, ADD COLUMN former_until timestamptz;
ALTER TABLE access_requests ADD COLUMN goes_nowhere boolean NOT NULL DEFAULT false;
DROP INDEX one_open_request;
CREATE UNIQUE INDEX one_open_request ON access_requests (person_id, thing_kind, thing_name, coalesce(placement_name, ''))
  WHERE state = 'open';
ALTER TABLE group_members ADD COLUMN is_member boolean NOT NULL DEFAULT true;
`;
