import type { RoomEvent, Rooms } from './rooms.ts';

/** As a server reads it from a registration file. @see application service API, "Registration" */
export interface Registration {
  readonly id: string;
  readonly url: string;
  readonly as_token: string;
  readonly hs_token: string;
  readonly sender_localpart: string;
}

const longestWaitMs = 4_000;

/** Tells an application service what happens where it is, in order, until it has heard. */
export class AppService {
  readonly #rooms: Rooms;
  readonly #registration: Registration;
  #waiting: RoomEvent[] = [];
  #number = 0;
  #isTelling = false;
  #isStopped = false;
  /** Nothing is told while this is set: what happens meanwhile is lost to it. */
  isDeaf = false;

  constructor(rooms: Rooms, registration: Registration) {
    this.#rooms = rooms;
    this.#registration = registration;
  }

  get user(): string {
    return `@${this.#registration.sender_localpart}:${this.#rooms.serverName}`;
  }
  get askKey(): string {
    return this.#registration.as_token;
  }
  get title(): string {
    return 'Under Bell';
  }
  stop(): void {
    this.#isStopped = true;
  }
  /** Whether everything was told. */
  get isDone(): boolean {
    return this.#waiting.length === 0 && !this.#isTelling;
  }

  hear(event: RoomEvent): void {
    const isItsOwn = event.type === 'm.room.member' && event.state_key === this.user;
    if (this.isDeaf || (!isItsOwn && !this.#rooms.all.get(event.room_id)?.isIn(this.user))) return;
    this.#waiting.push(event);
    void this.#tell();
  }

  async #tell(): Promise<void> {
    if (this.#isTelling) return;
    this.#isTelling = true;
    let waitMs = 200;
    while (this.#waiting.length > 0 && !this.#isStopped) {
      const events = this.#waiting.slice(0, 100);
      const number = `${process.pid}-${Date.now()}-${this.#number++}`;
      while (!(await this.#push(number, events)) && !this.#isStopped) {
        await new Promise((resolve) => setTimeout(resolve, waitMs));
        waitMs = Math.min(waitMs * 2, longestWaitMs);
      }
      this.#waiting = this.#waiting.slice(events.length);
    }
    this.#isTelling = false;
  }

  async #push(number: string, events: readonly RoomEvent[]): Promise<boolean> {
    const { url, hs_token: key } = this.#registration;
    try {
      const answer = await fetch(`${url}/_matrix/app/v1/transactions/${encodeURIComponent(number)}`, {
        method: 'PUT',
        headers: { Authorization: `Bearer ${key}`, 'Content-Type': 'application/json' },
        body: JSON.stringify({ events: events.map(({ at: _at, ...event }) => event) }),
      });
      return answer.ok;
    } catch {
      return false;
    }
  }
}
