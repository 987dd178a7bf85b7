import { querySql, type App } from '../platform/index.ts';

// Whether a document has a key: an operator that Sequelize would take for a placeholder.

/** Addresses of some who have an attribute. */
export async function holdersOf(app: App, attribute: string): Promise<string[]> {
  const rows = await querySql<{ email: string }>(
    app,
    'SELECT email FROM people WHERE attributes ? $attribute ORDER BY email LIMIT 5',
    { attribute },
  );
  return rows.map((row) => row.email);
}
