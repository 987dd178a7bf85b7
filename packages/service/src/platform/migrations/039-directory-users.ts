/** What a directory says of its users stays as it said it; who was deleted there is gone for it. */
export const name = '039-directory-users';

export const up = `
ALTER TABLE people ADD COLUMN user_name text;
ALTER TABLE people ADD COLUMN directory_user jsonb;
ALTER TABLE people ADD COLUMN deleted_at timestamptz;
UPDATE people SET user_name = email WHERE origin = 'directory';
CREATE UNIQUE INDEX people_user_name ON people (user_name);
`;
