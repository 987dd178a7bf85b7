/** Hosts by name or address; neither wildcards nor anything that has a meaning of its own in a policy. */
const host = /^([a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*|\[[0-9a-f:.]+\])$/;

/**
 * Whether a text is an origin, written as browsers write it: scheme, host and port, nothing after.
 *
 * @see RFC 6454 section 6.2; the host as in RFC 952 and RFC 1123, because it stands in a policy (CSP 3, `frame-ancestors`)
 */
export function isOrigin(text: string): boolean {
  if (!URL.canParse(text)) return false;
  const { origin, protocol, hostname } = new URL(text);
  return origin === text && /^https?:$/.test(protocol) && host.test(hostname);
}
