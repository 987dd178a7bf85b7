/** What a chat's operator is given, so that their server knows this service. */
export interface Registration {
  /** Of the chat here. */
  readonly name: string;
  readonly serverName: string;
  /** Where the server tells what happens. */
  readonly url: string;
  /** By which this service asks the server. */
  readonly askKey: string;
  /** By which the server tells this service. */
  readonly tellKey: string;
}

/** This service's own account in a chat. */
export const ownLocal = 'underbell';
export const ownUser = (serverName: string): string => `@${ownLocal}:${serverName}`;

const quoted = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/**
 * The registration of an application service. It is JSON, and so is YAML, which servers read.
 *
 * @see Matrix specification, application service API, "Registration"; YAML 1.2, section 1.3
 */
export function registrationFile({ name, serverName, url, askKey, tellKey }: Registration): string {
  const registration = {
    id: `underbell-${name}`,
    url,
    as_token: askKey,
    hs_token: tellKey,
    sender_localpart: ownLocal,
    rate_limited: false,
    namespaces: {
      users: [{ exclusive: true, regex: quoted(ownUser(serverName)) }],
      aliases: [],
      rooms: [],
    },
  };
  return `${JSON.stringify(registration, null, 2)}\n`;
}
