/** Placements show columns as others: names as districts. */
export const name = '028-column-swaps';

export const up = `
ALTER TABLE placements ADD COLUMN swaps jsonb NOT NULL DEFAULT '{}';
`;
