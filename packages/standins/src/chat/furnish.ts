import type { ChatState } from './chatState.ts';

/** A team that a chat begins with; the owner owns its channels, too. */
export interface FirstTeam {
  readonly name: string;
  readonly owner: string;
  readonly channels: readonly { readonly name: string; readonly topic: string; readonly members: readonly string[] }[];
}

/** Makes teams with channels and members, and brings in the services that are registered. Nothing where there are rooms already. */
export function furnish(chat: ChatState, teams: readonly FirstTeam[]): void {
  const { rooms, services } = chat;
  if (rooms.all.size > 0) return;
  for (const { name, owner, channels } of teams) {
    const team = rooms.make({ creator: owner, name, isTeam: true }).id;
    const made = channels.map((one) => ({
      ...one,
      room: rooms.make({ creator: owner, name: one.name, topic: one.topic, team }).id,
    }));
    for (const { room, members } of made)
      for (const user of members)
        for (const id of [team, room]) {
          rooms.invite(id, owner, user);
          rooms.join(id, user);
        }
    for (const { user } of services) {
      for (const id of [team, ...made.map((one) => one.room)]) rooms.raise(id, owner, user, 50);
      rooms.invite(team, owner, user);
    }
  }
}
