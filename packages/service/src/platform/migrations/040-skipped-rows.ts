/** Lists can be loaded without their invalid rows. */
export const name = '040-skipped-rows';

export const up = `
ALTER TABLE lists ADD COLUMN invalid_rows text NOT NULL DEFAULT 'reject' CHECK (invalid_rows IN ('reject', 'skip'));
ALTER TABLE lists ADD COLUMN skipped jsonb;
`;
