/** Lists that are read from a dataset or a group, and the version that a run is bound to. */
export const name = '008-lists';

export const up = `
ALTER TABLE lists ADD origin jsonb;
ALTER TABLE lists ADD active_from_column text;
ALTER TABLE lists ADD active_to_column text;
ALTER TABLE list_rows ADD active_from date;
ALTER TABLE list_rows ADD active_to date;
ALTER TABLE runs ADD list_version integer;
`;
