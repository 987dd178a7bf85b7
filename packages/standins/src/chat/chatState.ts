import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { AppService, type Registration } from './appService.ts';
import { Rooms, type RoomEvent } from './rooms.ts';

/** Somebody with an account. */
export interface ChatUser {
  /** `@local:server`; those of other servers are guests of other organisations. */
  readonly id: string;
  readonly name: string;
}

export interface ChatHostOptions {
  readonly port: number;
  readonly serverName: string;
  readonly users: readonly ChatUser[];
  /** Everybody's; the directory would ask for more. */
  readonly password: string;
  /** Where what happened is kept over a restart; nowhere without. */
  readonly file?: string;
  /** A start page in the side bar: its title, and its address. */
  readonly app?: { readonly title: string; readonly url: string };
}

/** A file of the content repository. */
export interface StoredFile {
  readonly bytes: Buffer;
  readonly type: string;
}

const key = (sign: string) => `${sign}_${randomBytes(18).toString('base64url')}`;

/** Everything that a chat knows: accounts, rooms, files, and who may ask for them. */
export class ChatState {
  readonly options: ChatHostOptions;
  readonly rooms: Rooms;
  readonly services: AppService[] = [];
  readonly files = new Map<string, StoredFile>();
  /** Access token -> user. */
  readonly #keys = new Map<string, string>();
  /** OpenID token -> user. */
  readonly #words = new Map<string, { user: string; until: number }>();
  #saving: NodeJS.Timeout | undefined;
  #isClosed = false;

  constructor(options: ChatHostOptions) {
    this.options = options;
    this.rooms = new Rooms(options.serverName, (user) => this.nameOf(user));
    if (options.file !== undefined && existsSync(options.file))
      this.rooms.restore(JSON.parse(readFileSync(options.file, 'utf8')) as RoomEvent[]);
    this.rooms.listen((event) => {
      for (const one of this.services) one.hear(event);
      this.#saveSoon();
    });
  }

  /** Takes up an application service; it is told from now on. */
  register(registration: Registration): AppService {
    const service = new AppService(this.rooms, registration);
    this.services.push(service);
    return service;
  }

  isUser(id: string): boolean {
    return this.options.users.some((one) => one.id === id) || this.services.some((one) => one.user === id);
  }
  nameOf(id: string): string {
    return (
      this.options.users.find((one) => one.id === id)?.name ?? this.services.find((one) => one.user === id)?.title ?? id
    );
  }

  /** Signs somebody in. @returns an access token */
  signIn(user: string): string {
    const made = key('chat');
    this.#keys.set(made, user);
    return made;
  }
  signOut(token: string): void {
    this.#keys.delete(token);
  }
  userOf(token: string): string | undefined {
    return this.#keys.get(token) ?? this.services.find((one) => one.askKey === token)?.user;
  }

  /** A word by which others learn who somebody is, once they ask this server. */
  makeWord(user: string): { access_token: string; token_type: string; matrix_server_name: string; expires_in: number } {
    const access_token = key('openid');
    this.#words.set(access_token, { user, until: Date.now() + 3_600_000 });
    return {
      access_token,
      token_type: 'Bearer',
      matrix_server_name: user.slice(user.indexOf(':') + 1),
      expires_in: 3_600,
    };
  }
  userOfWord(token: string): string | undefined {
    const found = this.#words.get(token);
    return found && found.until > Date.now() ? found.user : undefined;
  }

  #saveSoon(): void {
    if (!this.#isClosed) this.#saving ??= setTimeout(() => this.#save(), 300);
  }
  #save(): void {
    clearTimeout(this.#saving);
    this.#saving = undefined;
    const { file } = this.options;
    if (file === undefined) return;
    const events = [...this.rooms.all.values()].flatMap((one) => one.events).sort((a, b) => a.at - b.at);
    writeFileSync(`${file}.new`, JSON.stringify(events));
    renameSync(`${file}.new`, file);
  }
  /** Keeps what happened, and tells nobody any more. */
  close(): void {
    for (const one of this.services) one.stop();
    if (!this.#isClosed) this.#save();
    this.#isClosed = true;
  }
}
