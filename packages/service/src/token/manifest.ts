import type { App, Capability, Named } from '../platform/index.ts';
import { tokenRoutes } from './routes.ts';

/** What tokens that live still let their holders see, and what programs may ask for, by the names of today. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  const bind = { from: name, to };
  if (kind === 'report') {
    await app.records.query(
      `UPDATE clients SET bounds = jsonb_set(bounds, '{reports}', (SELECT jsonb_agg(CASE WHEN one = $from THEN $to ELSE one END)
         FROM jsonb_array_elements_text(bounds->'reports') AS one))
       WHERE bounds->'reports' ? $from`,
      { bind },
    );
  }
  if (kind === 'report' || kind === 'placement')
    await app.records.query(
      `UPDATE access_tokens SET details = jsonb_set(details, '{${kind}}', to_jsonb($to::text)) WHERE details->>'${kind}' = $from`,
      { bind },
    );
  if (kind === 'dataset')
    await app.records.query(
      `UPDATE access_tokens SET details = jsonb_set(details, '{where}',
         (details->'where') - $from::text || jsonb_build_object($to::text, details->'where'->$from))
       WHERE details->'where' ? $from`,
      { bind },
    );
}

/** Programs, and the access tokens that they show reports with. */
export const token: Capability = {
  name: 'token',
  routes: tokenRoutes,
  things: [{ kind: 'client', table: 'clients', key: 'id' }],
  references: { follow },
};
