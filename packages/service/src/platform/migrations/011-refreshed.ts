/** The day on which a burst last ran because its data was loaded anew. */
export const name = '011-refreshed';

export const up = `
ALTER TABLE bursts ADD refreshed_on date;
`;
