/**
 * The origins whose pages may be around a page of ours, whatever it shows: those that stand together with the origin of the
 * page around, which the browser names; all, where it names none. So nobody learns from it what there is.
 *
 * @param sets - the origins that each thing names
 * @param from - the address of the page around, empty where it is not known
 */
export function framingOrigins(sets: readonly (readonly string[])[], from: string): string[] {
  const origin = URL.canParse(from) ? new URL(from).origin : undefined;
  const those = origin === undefined ? sets : sets.filter((set) => set.includes(origin));
  return [...new Set(those.flat())].filter(isOrigin).sort();
}

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
