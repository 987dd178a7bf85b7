/** How files are written that data and lists were loaded from; files that wait were looked at without that. And since when a revision was last shown. */
export const name = '018-dialects';

export const up = `
ALTER TABLE datasets ADD COLUMN file_dialect jsonb;
ALTER TABLE lists ADD COLUMN file_dialect jsonb;
ALTER TABLE revisions ADD COLUMN shown_at timestamptz;
UPDATE revisions SET shown_at = finished_at;
ALTER TABLE runs ADD COLUMN as_of timestamptz;
ALTER TABLE uploads ADD COLUMN dialect jsonb NOT NULL DEFAULT '{}';
`;
