import { randomBytes } from 'node:crypto';
import { bodyParser } from '@koa/bodyparser';
import Router from '@koa/router';
import type { Context, Middleware, Next } from 'koa';
import type { ChatState } from './chatState.ts';
import { ChatError, type Room, type RoomEvent } from './rooms.ts';

type Asked = Context & { params: Record<string, string>; request: { body?: unknown } };
const bodyOf = (ctx: Asked) => (ctx.request.body ?? {}) as Record<string, unknown>;
const shown = ({ at: _at, ...event }: RoomEvent) => event;
const textOf = (value: unknown): string => (typeof value === 'string' ? value : '');

/** Errors as the standard has them, for pages of any origin. */
async function inItsWords(ctx: Context, next: Next): Promise<void> {
  ctx.set('Access-Control-Allow-Origin', '*');
  ctx.set('Access-Control-Allow-Methods', 'GET, POST, PUT, DELETE, OPTIONS');
  ctx.set('Access-Control-Allow-Headers', 'X-Requested-With, Content-Type, Authorization');
  if (ctx.method === 'OPTIONS' && ctx.path.startsWith('/_matrix')) return void (ctx.status = 204);
  try {
    await next();
  } catch (error) {
    if (!(error instanceof ChatError)) throw error;
    ctx.status = error.status;
    ctx.body = { errcode: error.errcode, error: error.message };
  }
}

/** The types that a filter of `sync` lets through; all of them without. */
function typesIn(filter: string | undefined): readonly string[] | undefined {
  if (!filter?.startsWith('{')) return undefined;
  const { room } = JSON.parse(filter) as { room?: { timeline?: { types?: string[] } } };
  return room?.timeline?.types;
}

/** What happened since somebody asked last; all that is there the first time. */
function synced(host: ChatState, user: string, since: number, types: readonly string[] | undefined) {
  const isWanted = (event: RoomEvent) => types === undefined || types.includes(event.type);
  const join: Record<string, object> = {};
  const invite: Record<string, object> = {};
  const leave: Record<string, object> = {};
  for (const room of host.rooms.all.values()) {
    const fresh = room.events.filter((one) => one.at > since && isWanted(one));
    const own = room.events.findLast((one) => one.type === 'm.room.member' && one.state_key === user);
    const cameIn = own !== undefined && own.at > since;
    if (room.isIn(user)) {
      // Whoever comes in is told the whole state.
      const state = since === 0 || cameIn ? room.state().filter(isWanted) : [];
      const timeline = state.length > 0 ? fresh.filter((one) => one.state_key === undefined) : fresh;
      if (since > 0 && timeline.length + state.length === 0) continue;
      join[room.id] = {
        timeline: { events: timeline.slice(-50).map(shown), limited: false, prev_batch: 's0' },
        state: { events: state.map(shown) },
        ephemeral: { events: [] },
        account_data: { events: [] },
        summary: {},
        unread_notifications: {},
      };
    } else if (room.membership(user) === 'invite' && (since === 0 || cameIn))
      invite[room.id] = {
        invite_state: {
          events: room
            .state()
            .filter((one) => one.state_key === user || one.type === 'm.room.name')
            .map(shown),
        },
      };
    else if (cameIn && since > 0) leave[room.id] = { timeline: { events: fresh.map(shown) }, state: { events: [] } };
  }
  return { join, invite, leave };
}

const isEmpty = (of: object) => Object.values(of).every((one) => Object.keys(one as object).length === 0);

/** Waits until something happens, or not longer than so. */
function somethingHappens(host: ChatState, ctx: Context, ms: number): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      clearTimeout(timer);
      stop();
      resolve();
    };
    const timer = setTimeout(done, ms);
    const stop = host.rooms.listen(() => setImmediate(done));
    ctx.req.once('close', done);
  });
}

async function sync(host: ChatState, ctx: Asked, user: string): Promise<void> {
  const { since = '', timeout = '0', filter } = ctx.query as Record<string, string>;
  const from = Number(since.slice(1)) || 0;
  const types = typesIn(filter);
  let rooms = synced(host, user, from, types);
  if (from > 0 && isEmpty(rooms) && Number(timeout) > 0) {
    await somethingHappens(host, ctx, Math.min(Number(timeout), 30_000));
    rooms = synced(host, user, from, types);
  }
  ctx.body = {
    next_batch: `s${host.rooms.count}`,
    rooms,
    presence: { events: [] },
    account_data: { events: [] },
    to_device: { events: [] },
    device_lists: {},
    device_one_time_keys_count: {},
  };
}

function roomRoutes(host: ChatState, router: Router, as: (ctx: Asked) => string): void {
  const { rooms } = host;
  const base = '/_matrix/client/v3';
  const room = `${base}/rooms/:room`;
  const inside = (ctx: Asked): Room => rooms.requireIn(ctx.params['room']!, as(ctx));
  router.get(`${base}/joined_rooms`, (ctx: Asked) => {
    ctx.body = { joined_rooms: rooms.joined(as(ctx)).map((one) => one.id) };
  });
  router.post(`${base}/createRoom`, (ctx: Asked) => {
    const { name, topic, creation_content: content } = bodyOf(ctx) as Record<string, never>;
    const isTeam = (content as { type?: string } | undefined)?.type === 'm.space';
    ctx.body = { room_id: rooms.make({ creator: as(ctx), name: textOf(name), topic: textOf(topic), isTeam }).id };
  });
  router.get(`${room}/state`, (ctx: Asked) => {
    ctx.body = inside(ctx).state().map(shown);
  });
  router.get(`${room}/members`, (ctx: Asked) => {
    ctx.body = {
      chunk: inside(ctx)
        .state()
        .filter((one) => one.type === 'm.room.member')
        .map(shown),
    };
  });
  router.get(`${room}/joined_members`, (ctx: Asked) => {
    ctx.body = {
      joined: Object.fromEntries(
        inside(ctx)
          .members()
          .map((one) => [one.user, { display_name: one.name }]),
      ),
    };
  });
  router.get(`${room}/messages`, (ctx: Asked) => {
    ctx.body = { start: 's0', chunk: inside(ctx).events.toReversed().slice(0, 50).map(shown) };
  });
  const stateOf = (ctx: Asked) => {
    const content = inside(ctx).find(ctx.params['type']!, ctx.params['key'] ?? '');
    if (!content) throw new ChatError(404, 'M_NOT_FOUND', 'there is no such state');
    ctx.body = content;
  };
  const setState = (ctx: Asked) => {
    const { room: id, type, key = '' } = ctx.params as Record<'room' | 'type' | 'key', string>;
    ctx.body = { event_id: rooms.setState(id, as(ctx), type, key, bodyOf(ctx)).event_id };
  };
  router.get(`${room}/state/:type`, stateOf);
  router.get(`${room}/state/:type/:key`, stateOf);
  router.put(`${room}/state/:type`, setState);
  router.put(`${room}/state/:type/:key`, setState);
  const sent = new Map<string, string>();
  router.put(`${room}/send/:type/:txn`, (ctx: Asked) => {
    const user = as(ctx);
    const { type, txn } = ctx.params as Record<'type' | 'txn', string>;
    const found = inside(ctx);
    const known = `${user} ${found.id} ${txn}`;
    if (!sent.has(known)) sent.set(known, rooms.add(found, user, type, bodyOf(ctx)).event_id);
    ctx.body = { event_id: sent.get(known) };
  });
  const join = (ctx: Asked) => {
    ctx.body = { room_id: rooms.join(decodeURIComponent(ctx.params['room']!), as(ctx)).id };
  };
  router.post(`${room}/join`, join);
  router.post(`${base}/join/:room`, join);
  router.post(`${room}/leave`, (ctx: Asked) => {
    rooms.leave(ctx.params['room']!, as(ctx));
    ctx.body = {};
  });
  router.post(`${room}/invite`, (ctx: Asked) => {
    rooms.invite(ctx.params['room']!, as(ctx), textOf(bodyOf(ctx)['user_id']));
    ctx.body = {};
  });
  router.post(`${room}/kick`, (ctx: Asked) => {
    rooms.remove(ctx.params['room']!, as(ctx), textOf(bodyOf(ctx)['user_id']));
    ctx.body = {};
  });
}

function accountRoutes(host: ChatState, router: Router, as: (ctx: Asked) => string): void {
  const base = '/_matrix/client/v3';
  router.get('/_matrix/client/versions', (ctx: Asked) => {
    ctx.body = { versions: ['v1.1', 'v1.5', 'v1.11'], unstable_features: {} };
  });
  router.get('/.well-known/matrix/client', (ctx: Asked) => {
    ctx.body = { 'm.homeserver': { base_url: `${ctx.protocol}://${ctx.host}` } };
  });
  router.get(`${base}/login`, (ctx: Asked) => {
    ctx.body = { flows: [{ type: 'm.login.password' }] };
  });
  router.post(`${base}/login`, (ctx: Asked) => {
    const { identifier, password } = bodyOf(ctx) as { identifier?: { user?: string }; password?: string };
    const given = identifier?.user ?? '';
    const user = given.startsWith('@') ? given : `@${given}:${host.options.serverName}`;
    if (!host.options.users.some((one) => one.id === user) || password !== host.options.password)
      throw new ChatError(403, 'M_FORBIDDEN', 'the name or the password is wrong');
    ctx.body = { user_id: user, access_token: host.signIn(user), device_id: randomBytes(5).toString('hex') };
  });
  router.get(`${base}/account/whoami`, (ctx: Asked) => {
    ctx.body = { user_id: as(ctx) };
  });
  router.post(`${base}/logout`, (ctx: Asked) => {
    as(ctx);
    host.signOut(/^Bearer (.+)$/.exec(ctx.get('Authorization'))?.[1] ?? '');
    ctx.body = {};
  });
  router.get(`${base}/capabilities`, (ctx: Asked) => {
    ctx.body = { capabilities: { 'm.room_versions': { default: '10', available: { '10': 'stable' } } } };
  });
  router.get(`${base}/pushrules/`, (ctx: Asked) => {
    ctx.body = { global: { override: [], content: [], room: [], sender: [], underride: [] } };
  });
  const filters = new Map<string, unknown>();
  router.post(`${base}/user/:user/filter`, (ctx: Asked) => {
    as(ctx);
    const id = String(filters.size);
    filters.set(id, bodyOf(ctx));
    ctx.body = { filter_id: id };
  });
  router.get(`${base}/user/:user/filter/:id`, (ctx: Asked) => {
    ctx.body = filters.get(ctx.params['id']!) ?? {};
  });
  router.post(`${base}/user/:user/openid/request_token`, (ctx: Asked) => {
    const user = as(ctx);
    if (user !== ctx.params['user']) throw new ChatError(403, 'M_FORBIDDEN', 'you can only request your own');
    ctx.body = host.makeWord(user);
  });
  router.get('/_matrix/federation/v1/openid/userinfo', (ctx: Asked) => {
    const sub = host.userOfWord(textOf(ctx.query['access_token']));
    if (sub === undefined) throw new ChatError(401, 'M_UNKNOWN_TOKEN', 'this token belongs to no user');
    ctx.body = { sub };
  });
  router.get(`${base}/profile/:user`, (ctx: Asked) => {
    ctx.body = { displayname: host.nameOf(ctx.params['user']!) };
  });
  router.get(`${base}/profile/:user/displayname`, (ctx: Asked) => {
    ctx.body = { displayname: host.nameOf(ctx.params['user']!) };
  });
  router.get(`${base}/sync`, (ctx: Asked) => sync(host, ctx, as(ctx)));
}

const mostBytes = 20 * 1024 * 1024;

function mediaRoutes(host: ChatState, router: Router, as: (ctx: Asked) => string): void {
  router.post('/_matrix/media/v3/upload', async (ctx: Asked) => {
    as(ctx);
    const parts: Buffer[] = [];
    let size = 0;
    for await (const part of ctx.req) {
      size += (part as Buffer).length;
      if (size > mostBytes) throw new ChatError(413, 'M_TOO_LARGE', 'the file is too large');
      parts.push(part as Buffer);
    }
    const id = randomBytes(12).toString('hex');
    host.files.set(id, { bytes: Buffer.concat(parts), type: ctx.get('Content-Type') });
    ctx.body = { content_uri: `mxc://${host.options.serverName}/${id}` };
  });
  const download = (ctx: Asked) => {
    const file = host.files.get(ctx.params['id']!);
    if (!file) throw new ChatError(404, 'M_NOT_FOUND', 'there is no such file');
    ctx.type = file.type;
    ctx.set('Content-Security-Policy', 'sandbox');
    ctx.body = file.bytes;
  };
  router.get('/_matrix/client/v1/media/download/:server/:id', (ctx: Asked) => {
    as(ctx);
    download(ctx);
  });
  router.get('/picture/:id', download);
}

/** The client-server API, as far as clients and application services of the demo need it. */
export function clientApi(host: ChatState): Middleware {
  const router = new Router();
  const as = (ctx: Asked): string => {
    const user = host.userOf(/^Bearer (.+)$/.exec(ctx.get('Authorization'))?.[1] ?? '');
    if (user === undefined) throw new ChatError(401, 'M_UNKNOWN_TOKEN', 'this token is not known');
    return user;
  };
  const json = bodyParser({ enableTypes: ['json'], jsonLimit: '4mb' });
  router.use((ctx, next) => (ctx.is('json') ? json(ctx as never, next) : next()));
  accountRoutes(host, router, as);
  mediaRoutes(host, router, as);
  roomRoutes(host, router, as);
  const routes = router.routes() as unknown as Middleware;
  return (ctx, next) => inItsWords(ctx, () => routes(ctx, next) as Promise<void>);
}
