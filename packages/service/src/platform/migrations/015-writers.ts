/**
 * Who wrote what conditions are stored in, by number: what is masked to them is masked to their conditions. Filled in as far
 * as the audit tells; where it does not, the conditions are taken to be written by somebody masked.
 */
export const name = '015-writers';

const writerOf = (thing: string, what: string) => `(SELECT people.id FROM audit JOIN people ON people.email = audit.who
    WHERE audit.thing = ${thing} AND audit.what = ${what} ORDER BY audit.id DESC LIMIT 1)`;

export const up = `
ALTER TABLE editions ADD COLUMN writer_id text;
ALTER TABLE boards ADD COLUMN writer_id text;
ALTER TABLE placements ADD COLUMN writer_id text;
UPDATE editions SET writer_id = ${writerOf("'report ' || report_name", "'edition ' || number || ' published'")};
UPDATE boards SET writer_id = ${writerOf("'board ' || name", "'board saved'")};
UPDATE placements SET writer_id = ${writerOf("'placement ' || name", "'placement saved'")};
`;
