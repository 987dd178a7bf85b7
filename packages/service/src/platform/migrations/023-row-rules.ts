/** What limits the rows that somebody sees is called a row rule everywhere. */
export const name = '023-row-rules';

export const up = `
ALTER TABLE record_rules RENAME TO row_rules;
UPDATE deliveries SET cut = replace(cut::text, '"record rule"', '"row rule"')::jsonb WHERE cut::text LIKE '%"record rule"%';
`;
