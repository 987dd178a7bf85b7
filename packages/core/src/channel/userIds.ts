/** Somebody in a chat: `@local:server`. */
export interface UserId {
  readonly local: string;
  readonly server: string;
}

/** Names of servers as addresses of the network are written, with a port where they have one. */
const server = /^(?:[a-z0-9-]+(?:\.[a-z0-9-]+)*|\[[0-9a-f:.]+\])(?::\d{1,5})?$/;
/** Older names allowed more; whoever has one is not told from others by an address, and so is nobody here. */
const local = /^[a-z0-9._=\-/+]+$/;
const longest = 255;

export const isServerName = (text: string): boolean => text.length <= 230 && server.test(text);

/**
 * The parts of a user's name in a chat; nothing for what is none.
 *
 * @see Matrix specification, appendices, section "User Identifiers"
 */
export function readUserId(text: unknown): UserId | undefined {
  if (typeof text !== 'string' || text.length > longest || !text.startsWith('@')) return undefined;
  const at = text.indexOf(':');
  if (at < 2) return undefined;
  const parts = { local: text.slice(1, at), server: text.slice(at + 1) };
  return local.test(parts.local) && server.test(parts.server) ? parts : undefined;
}

/** Which accounts of a chat are the company's own people. */
export interface ChatPeople {
  readonly serverName: string;
  /** `@x:server` is whoever has the address x at this domain; nobody, where it is null. */
  readonly addressDomain: string | null;
}

/** The address that somebody has whose account is the company's; nothing for all others. */
export function addressOf({ local: name, server: at }: UserId, chat: ChatPeople): string | undefined {
  return at === chat.serverName && chat.addressDomain !== null ? `${name}@${chat.addressDomain}` : undefined;
}

/** What stands for the address of somebody of whom nobody knows one: no mail goes there (RFC 2606), and nobody else has it. */
export const strangerAddress = ({ local: name, server: at }: UserId): string =>
  `${name}#${at.replace(':', '#')}@chat.invalid`;

/** Whether an address stands for an account of a chat and takes no mail. */
export const isChatAddress = (email: string): boolean => email.endsWith('@chat.invalid');

/** The account that a person has in a chat by their address; nothing where their address says nothing. */
export function userIdOf(email: string, { serverName, addressDomain }: ChatPeople): string | undefined {
  const at = email.lastIndexOf('@');
  const [name, domain] = [email.slice(0, at), email.slice(at + 1)];
  if (addressDomain === null || domain !== addressDomain || !local.test(name)) return undefined;
  return `@${name}:${serverName}`;
}
