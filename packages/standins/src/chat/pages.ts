import { fileURLToPath } from 'node:url';
import { bodyParser } from '@koa/bodyparser';
import Router from '@koa/router';
import { build } from 'esbuild';
import type { Context, Middleware } from 'koa';
import { escapeHtml } from '../html.ts';
import type { ChatState } from './chatState.ts';
import { ChatError, type Room, type RoomEvent } from './rooms.ts';

type Asked = Context & { params: Record<string, string>; request: { body?: unknown } };

const cookie = 'chat_key';
const tabType = 'm.widget';
const ownerLevel = 50;

const style = `
  :root { --accent: #6b4a1c; --line: #ddd6c9; }
  * { box-sizing: border-box; } body { font: 15px/1.45 'Source Sans 3', system-ui, sans-serif; margin: 0; color: #26221b; background: #faf7f1; height: 100vh; display: grid; grid-template-columns: 15rem 1fr; }
  #side { background: #ece4d4; border-right: 1px solid var(--line); padding: 1rem; overflow: auto; } #side a { color: #26221b; text-decoration: none; display: block; padding: .2rem .4rem; border-radius: 4px; } #side a[aria-current] { background: #fffdf8; font-weight: 600; } #side h2 { font-size: .85rem; font-weight: 600; margin: 1rem 0 .2rem; } #side p { margin: 0 0 .6rem; }
  main { display: grid; grid-template-rows: auto auto 1fr auto; min-width: 0; min-height: 0; } main > header { padding: .7rem 1rem .3rem; background: #fff; } h1 { font-size: 1.15rem; margin: 0; } .quiet { color: #665f52; }
  #tabs { background: #fff; border-bottom: 1px solid var(--line); padding: 0 1rem; display: flex; gap: .3rem; flex-wrap: wrap; } #tabs a { padding: .4rem .7rem; color: #26221b; text-decoration: none; border-bottom: 2px solid transparent; } #tabs a[aria-current] { border-color: var(--accent); font-weight: 600; }
  .both { display: grid; grid-template-columns: 1fr 14rem; min-height: 0; } #posts { overflow: auto; padding: 1rem; } .post { margin-bottom: .9rem; } .post p { margin: .1rem 0; } blockquote { margin: .3rem 0; border-left: 3px solid var(--accent); padding-left: .7rem; } img { max-width: 34rem; width: 100%; border: 1px solid var(--line); border-radius: 4px; }
  #people { border-left: 1px solid var(--line); padding: 1rem; overflow: auto; background: #fff; } #people li { margin-bottom: .3rem; } ul { list-style: none; margin: 0; padding: 0; } button, input, select { font: inherit; } button { padding: .15rem .6rem; } iframe { border: 0; width: 100%; height: 100%; background: #fff; } form.say { padding: .7rem 1rem; background: #fff; border-top: 1px solid var(--line); display: flex; gap: .5rem; } form.say input { flex: 1; padding: .35rem .6rem; }
  .who { grid-column: 1 / -1; max-width: 34rem; margin: 3rem auto; } .who li { margin-bottom: .4rem; } @media (max-width: 700px) { body { grid-template-columns: 1fr; grid-template-rows: auto 1fr; } .both { grid-template-columns: 1fr; } #people { display: none; } }
`;

const shell = (title: string, body: string, count: number) =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title><style>${style}</style></head><body data-count="${count}">${body}<script type="module" src="/chat.js"></script></body></html>`;

function side(host: ChatState, user: string, here: string): string {
  const rooms = host.rooms.joined(user);
  const link = (room: Room) =>
    `<a href="/c/${encodeURIComponent(room.id)}"${room.id === here ? ' aria-current="page"' : ''}> ${escapeHtml(room.text('m.room.name', 'name'))}</a>`;
  const teams = rooms.filter((one) => one.isTeam);
  const inTeams = new Set(teams.flatMap((one) => one.children()));
  const blocks = teams.map((team) => {
    const inside = team.children();
    return `<h2>${escapeHtml(team.text('m.room.name', 'name'))}</h2>${rooms
      .filter((one) => inside.includes(one.id))
      .map(link)
      .join('')}`;
  });
  const alone = rooms.filter((one) => !one.isTeam && !inTeams.has(one.id));
  const { app } = host.options;
  const appLink = app
    ? `<a href="/app"${here === 'app' ? ' aria-current="page"' : ''}>${escapeHtml(app.title)}</a>`
    : '';
  return `<nav id="side" aria-label="Spaces"><p><b>Skerrow chat</b><br>${escapeHtml(host.nameOf(user))}</p>${appLink}${blocks.join('')}${alone.length > 0 ? `<h2>Without a space</h2>${alone.map(link).join('')}` : ''}<form method="post" action="/out"><p><button>Somebody else</button></p></form></nav>`;
}

function post(host: ChatState, event: RoomEvent): string {
  const { msgtype, body, formatted_body: html, url } = event.content as Record<string, string | undefined>;
  const picture = /^mxc:\/\/[^/]+\/([0-9a-f]+)$/.exec(url ?? '')?.[1];
  // What the service writes is shown as it wrote it; of people the letters alone.
  const isService = host.services.some((one) => one.user === event.sender);
  const said =
    msgtype === 'm.image' && picture !== undefined
      ? `<img src="/picture/${picture}" alt="${escapeHtml(body ?? '')}">`
      : isService && html !== undefined
        ? html
        : `<p>${escapeHtml(body ?? '')}</p>`;
  return `<div class="post"><b>${escapeHtml(host.nameOf(event.sender))}</b> ${said}</div>`;
}

const action = (room: Room, what: string, label: string, user = '') =>
  `<form method="post" action="/c/${encodeURIComponent(room.id)}/${what}" style="display:inline"><input type="hidden" name="user" value="${escapeHtml(user)}"><button>${escapeHtml(label)}</button></form>`;

function people(host: ChatState, room: Room, user: string): string {
  const isOwner = room.level(user) >= ownerLevel;
  const items = room.members().map((one) => {
    const level = room.level(one.user) >= ownerLevel ? ' <span class="quiet">owner</span>' : '';
    const guest = one.user.endsWith(`:${host.options.serverName}`) ? '' : ' <span class="quiet">guest</span>';
    const out =
      isOwner && room.level(user) > room.level(one.user) ? ` ${action(room, 'remove', 'Remove', one.user)}` : '';
    return `<li>${escapeHtml(one.name)}${level}${guest}${out}</li>`;
  });
  const others = host.options.users.filter((one) => !room.isIn(one.id));
  const invite =
    isOwner && others.length > 0
      ? `<form method="post" action="/c/${encodeURIComponent(room.id)}/invite"><p><select name="user" aria-label="User">${others.map((one) => `<option value="${escapeHtml(one.id)}">${escapeHtml(one.name)}</option>`).join('')}</select> <button>Add</button></p></form>`
      : '';
  const missing = host.services.filter((one) => !room.isIn(one.user) || room.level(one.user) < ownerLevel);
  const bring = isOwner
    ? missing.map((one) => `<p>${action(room, 'bring', `Invite ${one.title}`, one.user)}</p>`).join('')
    : '';
  return `<aside id="people" aria-label="Members"><h2 style="font-size:1rem;margin:0 0 .4rem">${items.length} members</h2><ul>${items.join('')}</ul>${invite}${bring}</aside>`;
}

const tabsOf = (room: Room) =>
  room.state().filter((one) => one.type === tabType && typeof one.content['url'] === 'string');

function tabFrame(widget: object, user: string, title: string): string {
  return `<iframe data-tab="${escapeHtml(JSON.stringify(widget))}" data-user="${escapeHtml(user)}" title="${escapeHtml(title)}" allow="clipboard-write"></iframe>`;
}

function channelPage(host: ChatState, room: Room, user: string, tabId: string | undefined): string {
  const tabs = tabsOf(room);
  const open = tabs.find((one) => one.state_key === tabId);
  const path = `/c/${encodeURIComponent(room.id)}`;
  const links = tabs.map(
    (one) =>
      `<a href="${path}?tab=${encodeURIComponent(one.state_key!)}"${one === open ? ' aria-current="page"' : ''}>${escapeHtml(String(one.content['name']))}</a>`,
  );
  const posts = room.events.filter((one) => one.type === 'm.room.message');
  const name = room.text('m.room.name', 'name');
  const inner = open
    ? tabFrame(open.content, user, String(open.content['name']))
    : `<div class="both"><div id="posts">${posts.map((one) => post(host, one)).join('') || '<p class="quiet">No messages.</p>'}</div>${people(host, room, user)}</div>`;
  const say = open
    ? ''
    : `<form class="say" method="post" action="${path}/say"><input name="text" required aria-label="Message" placeholder="Message"><button>Send</button></form>`;
  return shell(
    name,
    `${side(host, user, room.id)}<main><header><h1>${escapeHtml(name)}</h1><span class="quiet">${escapeHtml(room.text('m.room.topic', 'topic'))}</span></header><nav id="tabs" aria-label="Reports"><a href="${path}"${open ? '' : ' aria-current="page"'}>Messages</a>${links.join('')}</nav>${inner}${say}</main>`,
    host.rooms.count,
  );
}

function whoPage(host: ChatState): string {
  const items = host.options.users.map(
    (one) =>
      `<li><form method="post" action="/who"><input type="hidden" name="user" value="${escapeHtml(one.id)}"><button>${escapeHtml(one.name)}</button> <span class="quiet">${escapeHtml(one.id)}</span></form></li>`,
  );
  return shell(
    'Skerrow chat',
    `<div class="who"><h1>Skerrow chat</h1><p>Select a user (demo sign-in).</p><ul>${items.join('')}</ul></div>`,
    host.rooms.count,
  );
}

/** The page's script, as browsers run it. */
async function script(): Promise<string> {
  const built = await build({
    entryPoints: [fileURLToPath(new URL('./tabHost.ts', import.meta.url))],
    bundle: true,
    format: 'esm',
    platform: 'browser',
    define: { global: 'globalThis' },
    write: false,
    logLevel: 'silent',
  });
  return built.outputFiles[0]!.text;
}

/** The chat as users see it in a browser: spaces, channels, messages, members, widgets. */
export async function pages(host: ChatState): Promise<Middleware> {
  const text = await script();
  const router = new Router();
  const userOf = (ctx: Asked) => host.userOf(ctx.cookies.get(cookie) ?? '');
  const form = bodyParser({ enableTypes: ['form'] });
  router.use((ctx, next) => (ctx.is('urlencoded') ? form(ctx as never, next) : next()));
  const given = (ctx: Asked) => (ctx.request.body ?? {}) as Record<string, string | undefined>;
  router.get('/chat.js', (ctx: Asked) => {
    ctx.type = 'text/javascript';
    ctx.body = text;
  });
  router.get('/', (ctx: Asked) => {
    const user = userOf(ctx);
    const first = user === undefined ? undefined : host.rooms.joined(user).find((one) => !one.isTeam);
    if (user === undefined) ctx.body = whoPage(host);
    else if (first) ctx.redirect(`/c/${encodeURIComponent(first.id)}`);
    else
      ctx.body = shell(
        'Skerrow chat',
        `${side(host, user, '')}<main><header><h1>No channel yet</h1></header></main>`,
        host.rooms.count,
      );
  });
  router.post('/who', (ctx: Asked) => {
    const { user = '' } = given(ctx);
    if (!host.options.users.some((one) => one.id === user)) throw new ChatError(403, 'M_FORBIDDEN', 'unknown user');
    ctx.cookies.set(cookie, host.signIn(user), { httpOnly: true, sameSite: 'lax' });
    ctx.redirect('/');
  });
  router.post('/out', (ctx: Asked) => {
    host.signOut(ctx.cookies.get(cookie) ?? '');
    ctx.cookies.set(cookie, null);
    ctx.redirect('/');
  });
  router.post('/word', (ctx: Asked) => {
    const user = userOf(ctx);
    if (user === undefined) throw new ChatError(401, 'M_UNKNOWN_TOKEN', 'sign in first');
    ctx.body = host.makeWord(user);
  });
  router.get('/app', (ctx: Asked) => {
    const user = userOf(ctx);
    const { app } = host.options;
    if (user === undefined || !app) return ctx.redirect('/');
    const widget = { id: 'app', type: 'm.custom', name: app.title, url: app.url, creatorUserId: user, data: {} };
    ctx.body = shell(
      app.title,
      `${side(host, user, 'app')}<main style="grid-template-rows:1fr">${tabFrame(widget, user, app.title)}</main>`,
      host.rooms.count,
    );
  });
  router.get('/c/:room', (ctx: Asked) => {
    const user = userOf(ctx);
    const room = host.rooms.all.get(ctx.params['room']!);
    if (user === undefined || !room?.isIn(user)) return ctx.redirect('/');
    ctx.body = channelPage(host, room, user, ctx.query['tab'] as string | undefined);
  });
  const acts: Record<string, (room: string, by: string, form: Record<string, string | undefined>) => void> = {
    say: (room, by, { text: body = '' }) =>
      void host.rooms.add(host.rooms.requireIn(room, by), by, 'm.room.message', { msgtype: 'm.text', body }),
    // Whoever is added comes in at once: the demo's people do not decline.
    invite: (room, by, { user = '' }) => {
      host.rooms.invite(room, by, user);
      host.rooms.join(room, user);
    },
    remove: (room, by, { user = '' }) => host.rooms.remove(room, by, user),
    bring: (room, by, { user = '' }) => {
      host.rooms.raise(room, by, user, ownerLevel);
      host.rooms.invite(room, by, user);
    },
  };
  router.post('/c/:room/:act', (ctx: Asked) => {
    const user = userOf(ctx);
    const { room, act } = ctx.params as Record<'room' | 'act', string>;
    const origin = ctx.get('Origin');
    if (origin !== '' && origin !== `${ctx.protocol}://${ctx.host}`) ctx.throw(403);
    if (user === undefined || !Object.hasOwn(acts, act)) return ctx.redirect('/');
    acts[act]!(room, user, given(ctx));
    ctx.redirect(`/c/${encodeURIComponent(room)}`);
  });
  return router.routes() as unknown as Middleware;
}
