/** Values, fields, tables and columns are called what the trade calls them. */
export const name = '041-plain-words';

/** Codes of problems, before and after. */
const codes: Readonly<Record<string, string>> = {
  PLACE_SUSPENDED: 'PLACEMENT_SUSPENDED',
  APP_OFF: 'APP_DISABLED',
  RIGHTS_GROW: 'PERMISSIONS_WIDENED',
  KEY_MISSING: 'SHARED_KEY_MISSING',
  TEMPLATE_UNFIT: 'TEMPLATE_INVALID',
  TOO_MANY: 'RATE_LIMITED',
  DIRECTORY_REFUSED: 'SSO_REJECTED',
  TOKEN_OUT_OF_BOUNDS: 'TOKEN_SCOPE_EXCEEDED',
  SCREEN_CLOSED: 'SCREEN_UNPAIRED',
  DELIVERY_IN_DOUBT: 'DELIVERY_UNCONFIRMED',
  PROGRAM_MISSING: 'TOOL_MISSING',
  LOAD_STOPPED: 'REFRESH_CANCELLED',
  RUN_STOPPED: 'RUN_CANCELLED',
  COST_LIMIT: 'USAGE_LIMIT',
};

const values = (map: Readonly<Record<string, string>>) =>
  Object.entries(map)
    .map(([before, after]) => `('${before}', '${after}')`)
    .join(', ');

export const up = `
UPDATE placement_problems SET code = renamed.after
  FROM (VALUES ${values(codes)}) AS renamed (before, after) WHERE code = renamed.before;

-- A page of a screen that is open since before does not know the new code by which it goes dark: it loads itself again.
INSERT INTO screen_orders (screen_name, "order", given_at)
  SELECT name, 'reload', now() FROM screens WHERE ended_at IS NULL
  ON CONFLICT DO NOTHING;
`;
