import { readPowerLevels, tabEvent, type PowerLevels } from './powerLevels.ts';

/** What changed in a team or channel, as its chat tells it. */
export type RoomChange = { readonly room: string } & (
  | { readonly what: 'member'; readonly user: string; readonly membership: Membership; readonly name: string | null }
  | { readonly what: 'levels'; readonly levels: PowerLevels }
  | { readonly what: 'made'; readonly maker: string; readonly isTeam: boolean }
  | { readonly what: 'name' | 'topic'; readonly text: string }
  | { readonly what: 'channel'; readonly channel: string; readonly isIn: boolean }
  | { readonly what: 'tab'; readonly tab: string; readonly by: string; readonly isThere: boolean }
);
export type Membership = 'join' | 'invite' | 'leave';

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const longestId = 255;
const isId = (value: unknown, sign: string): value is string =>
  typeof value === 'string' && value.startsWith(sign) && value.length <= longestId;
const longestText = 500;
/** One line of letters: names and topics stand in lists, mails and logs. */
const textFrom = (value: unknown): string =>
  typeof value === 'string'
    ? value
        .replace(/[\p{Cc}\p{Zl}\p{Zp}\p{Cf}]+/gu, ' ')
        .trim()
        .slice(0, longestText)
    : '';
export const isRoomId = (value: unknown): value is string => isId(value, '!') && value.length > 1;

function memberChange(room: string, user: string, content: Record<string, unknown>): RoomChange | undefined {
  if (!isId(user, '@')) return undefined;
  const said = content['membership'];
  // Whoever is banned or asks to be let in is not in.
  const membership = said === 'join' || said === 'invite' ? said : 'leave';
  const name = textFrom(content['displayname']);
  return { room, what: 'member', user, membership, name: name === '' ? null : name };
}

/**
 * Reads one event of a chat. What concerns nothing here, or is not as the standard has it, is nothing: a chat tells much more.
 *
 * @param given - from `room_id` on, as an application service is told of it
 * @param inRoom - the room, where the event does not say it, as in answers of one room's state
 * @see Matrix specification, client-server API, "Room events"
 */
export function readRoomEvent(given: unknown, inRoom?: string): RoomChange | undefined {
  if (!isObject(given)) return undefined;
  const { type, state_key: key, content, sender } = given;
  const room = given['room_id'] ?? inRoom;
  // Only the state of a channel is of interest, not what is talked in it.
  if (!isRoomId(room) || typeof key !== 'string' || key.length > longestId || !isObject(content)) return undefined;
  if (type === 'm.room.member') return memberChange(room, key, content);
  if (type === 'm.space.child') return { room, what: 'channel', channel: key, isIn: Array.isArray(content['via']) };
  if (type === tabEvent)
    return { room, what: 'tab', tab: key, by: textFrom(sender), isThere: typeof content['url'] === 'string' };
  if (key !== '') return undefined;
  if (type === 'm.room.power_levels') return { room, what: 'levels', levels: readPowerLevels(content) };
  if (type === 'm.room.name') return { room, what: 'name', text: textFrom(content['name']) };
  if (type === 'm.room.topic') return { room, what: 'topic', text: textFrom(content['topic']) };
  if (type === 'm.room.create') {
    // Before version 11 of rooms their maker stood in the event's content.
    const maker = isId(sender, '@') ? sender : content['creator'];
    return isId(maker, '@') ? { room, what: 'made', maker, isTeam: content['type'] === 'm.space' } : undefined;
  }
  return undefined;
}
