import { bodyParser } from '@koa/bodyparser';
import type Router from '@koa/router';
import type { Context } from 'koa';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { fingerprint, limitFailures, type App } from '../platform/index.ts';
import { hear } from './receiveEvents.ts';
import type { ChatServerRow } from './models.ts';
import { findChatByKey } from './store.ts';

const unknownKey = () => new Refusal('CLIENT_INVALID', 'No chat server has this key.');

/** The chat whose server speaks, by its key. @throws {Refusal} `CLIENT_INVALID`, `RATE_LIMITED` */
async function chatOf(app: App, ctx: Context): Promise<ChatServerRow> {
  return limitFailures(app, 'client', `chat ${ctx.ip}`, async () => {
    const [, key] = /^Bearer (ubt_[\w-]+)$/.exec(ctx.get('Authorization')) ?? [];
    const chat = key === undefined ? undefined : await findChatByKey(app, fingerprint(key));
    if (!chat) throw unknownKey();
    return chat;
  });
}

/** What servers of chats understand. @see Matrix specification, "Standard error response" */
function answer(ctx: Context, status: number, errcode: string, error: string): void {
  ctx.status = status;
  ctx.body = { errcode, error };
}

/** Answers a chat's server in its own words; what is wrong inside is told as little as anywhere. */
function inItsWords(app: App, work: (ctx: Context, chat: ChatServerRow) => Promise<void> | void) {
  return async (ctx: Context) => {
    try {
      await work(ctx, await chatOf(app, ctx));
    } catch (error) {
      if (isRefusal(error, 'CLIENT_INVALID')) return answer(ctx, 403, 'M_FORBIDDEN', 'this key is not known');
      if (isRefusal(error, 'RATE_LIMITED')) return answer(ctx, 429, 'M_LIMIT_EXCEEDED', 'too many wrong keys');
      app.log.error({ err: error }, 'what a chat told could not be taken down');
      answer(ctx, 500, 'M_UNKNOWN', 'it could not be taken down; tell it again');
    }
  };
}

const parse = bodyParser({ enableTypes: ['json'], jsonLimit: '32mb' });

/** What a server that is known sends; nothing for what is no JSON, which it would otherwise tell again for ever. */
async function readBody(ctx: Context): Promise<{ readonly events?: unknown } | undefined> {
  try {
    await parse(ctx as never, () => Promise.resolve());
  } catch {
    answer(ctx, 400, 'M_NOT_JSON', 'this is no JSON, or too much');
    return undefined;
  }
  return (ctx.request as { body?: { events?: unknown } }).body ?? {};
}

/**
 * Where servers of chats tell what happens.
 *
 * @see Matrix specification, application service API
 */
export function mountChats(app: App, router: Router): void {
  router.put(
    '/_matrix/app/v1/transactions/:number',
    inItsWords(app, async (ctx, chat) => {
      const body = await readBody(ctx);
      if (body === undefined) return;
      const { events } = body;
      const { number } = (ctx as unknown as { params: { number: string } }).params;
      if (!Array.isArray(events) || number.length > 255) return answer(ctx, 400, 'M_BAD_JSON', 'there are no events');
      await hear(app, chat, number, events);
      ctx.body = {};
    }),
  );
  router.post(
    '/_matrix/app/v1/ping',
    inItsWords(app, (ctx) => {
      ctx.body = {};
    }),
  );
  // This service has one account and no rooms of its own names: a server that asks for more is told that there is none.
  for (const path of ['/_matrix/app/v1/users/:user', '/_matrix/app/v1/rooms/:alias'])
    router.get(
      path,
      inItsWords(app, (ctx) => answer(ctx, 404, 'M_NOT_FOUND', 'there is none')),
    );
}
