/** What all keys of one pairing share, so that one that counts no more is known again: two devices have it. */
export const name = '036-key-families';

export const up = `
ALTER TABLE screen_keys ADD COLUMN family_fingerprint text;
CREATE INDEX screen_keys_family ON screen_keys (family_fingerprint);
`;
