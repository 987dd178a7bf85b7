/** Folders have start pages. */
export const name = '030-folder-pages';

export const up = `
CREATE TABLE folder_pages (
  folder_name text PRIMARY KEY REFERENCES folders(name) ON UPDATE CASCADE ON DELETE CASCADE,
  words text NOT NULL DEFAULT '',
  things jsonb NOT NULL DEFAULT '[]',
  has_pictures boolean NOT NULL DEFAULT true,
  origins jsonb NOT NULL DEFAULT '[]'
);
`;
