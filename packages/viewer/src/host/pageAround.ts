/** The origin of the page around ours, as the browser told the service or tells us; undefined where there is none. */
function pageAround(): string | undefined {
  if (window.parent === window) return undefined;
  return document.getElementById('app')?.dataset['host'] ?? window.location.ancestorOrigins?.[0];
}

/**
 * Tells the service which page is around: it decides whether that one may show what is asked for.
 *
 * @param host - where a message of that page proved it
 */
export function hostHeaders(host = pageAround()): Record<string, string> {
  return host === undefined ? {} : { 'Underbell-Host': host };
}
