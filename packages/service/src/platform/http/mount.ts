import type { Readable } from 'node:stream';
import Router from '@koa/router';
import { bodyParser } from '@koa/bodyparser';
import type { Context } from 'koa';
import type { ClientViewer, PersonViewer } from '@underbell/core/access';
import { isRefusal, Refusal, toProblemDocument } from '@underbell/core/refusal';
import type { App } from '../app.ts';
import type { Decision } from '../decisions.ts';
import { countAttempt } from '../limits.ts';
import { withMemory } from '../memory.ts';
import { runAs, type AskerKey } from '../concurrencyLimits.ts';
import { asRefusal } from './errors.ts';
import { leadOn, namedPartOf } from './redirects.ts';
import { doOnce, idempotencyKey } from './idempotency.ts';
import { readInput } from './input.ts';
import { amongNames } from '../records/index.ts';
import type { Named } from '../resources.ts';
import type { Route } from './route.ts';

/** Finds out who asks. Passed in, so that the platform knows nothing of sessions and tokens. */
export interface Identify {
  /**
   * Reads in one go whose session it is and which version the records have; the session counts for the next question who asks.
   *
   * @returns the version; nothing where no session came along
   */
  begin(ctx: Context): Promise<string | undefined>;
  person(ctx: Context): Promise<PersonViewer | undefined>;
  /** @throws {Refusal} when a token is there but not good */
  client(ctx: Context): Promise<ClientViewer | undefined>;
  /** Whether a person, or the holder of a token, may know of a thing. */
  isShown(
    thing: Named,
    who: { readonly person?: PersonViewer | undefined; readonly client?: ClientViewer | undefined },
  ): Promise<boolean>;
  /** Decides anew what was decided of a person before. @throws {Refusal} */
  still(person: PersonViewer, decisions: readonly Decision[]): Promise<void>;
  /** @throws {Refusal} when the token of the request does not count any more */
  clientAgain(ctx: Context): Promise<ClientViewer>;
}

const unsafe = new Set(['POST', 'PUT', 'DELETE', 'PATCH']);

/** A browser's cookie counts only for requests from this service's own pages. */
function refuseCrossSite(app: App, ctx: Context): void {
  if (!unsafe.has(ctx.method) || ctx.get('Authorization') !== '') return;
  const origin = ctx.get('Origin');
  const site = ctx.get('Sec-Fetch-Site');
  if (origin === new URL(app.settings.publicUrl).origin) return;
  // Reached by another of its names, such as localhost: the page and the address it asks are still one.
  if (URL.canParse(origin) && new URL(origin).host === ctx.host) return;
  if (origin === '' && (site === '' || site === 'same-origin')) return;
  throw new Refusal('CROSS_SITE', 'This request came from another site.');
}

/** How much JSON may come from somebody who is signed in, and from a stranger. */
const bodyLimits = { known: '4mb', stranger: '32kb' } as const;
const parsers = Object.fromEntries(
  Object.entries(bodyLimits).map(([who, jsonLimit]) => [
    who,
    bodyParser({ enableTypes: ['json', 'form'], jsonLimit, formLimit: who === 'known' ? '256kb' : jsonLimit }),
  ]),
) as Record<keyof typeof bodyLimits, ReturnType<typeof bodyParser>>;

/** Reads a body, once it is known who sends it. @throws what `asRefusal` words */
async function parseBody(route: Route, ctx: Context): Promise<void> {
  if (route.consumes !== undefined || route.body === undefined) return;
  const parse = parsers[route.audience === 'anyone' ? 'stranger' : 'known'];
  await parse(ctx as never, () => Promise.resolve());
}

/** What a stranger sends that cannot be read is work all the same: so much of it comes from an address, and no more. */
async function countingMistakes<T>(app: App, route: Route, ctx: Context, read: () => Promise<T>): Promise<T> {
  try {
    return await read();
  } catch (error) {
    const { status } = error as { status?: number };
    if (route.audience === 'anyone' && (isRefusal(error) || status === 400 || status === 413))
      await countAttempt(app, 'unreadable input', ctx.ip);
    throw error;
  }
}

async function readBody(route: Route, ctx: Context): Promise<unknown> {
  await parseBody(route, ctx);
  if (route.consumes !== undefined) {
    if (!ctx.is(route.consumes)) {
      throw new Refusal('INPUT_INVALID', `Send the content as ${route.consumes}.`, {
        pointer: 'Content-Type',
        word: ctx.get('Content-Type'),
      });
    }
    return undefined;
  }
  return route.body === undefined ? undefined : readInput(ctx.request.body, route.body, 'body');
}

/** Whoever came in by the word of a chat reads. @throws {Refusal} `NOT_ALLOWED` */
function refuseChange(route: Route, person: PersonViewer | undefined): void {
  if (person?.cameBy !== 'chat' || route.method === 'get' || route.isForReaders) return;
  throw new Refusal('NOT_ALLOWED', 'Nothing can be changed from within a chat.', {
    hint: 'Sign in to the console, or on the command line.',
  });
}

/** A person or token, and the placement through which they look. */
function askersOf(
  route: Route,
  { name }: { readonly name?: string },
  person: PersonViewer | undefined,
  client: ClientViewer | undefined,
): AskerKey[] {
  const who: AskerKey[] = client ? [`token:${client.tokenId}`] : person ? [`person:${person.id}`] : [];
  return route.audience === 'viewer' && name !== undefined ? [...who, `placement:${name}`] : who;
}

/** Mounts declared routes: who asks, then what they ask, then the handler. */
export function mountRoutes(app: App, routes: readonly Route[], identify: Identify): Router {
  const router = new Router();
  for (const route of routes) {
    // What has no such name any more is not taken away by it.
    const part = route.method === 'delete' ? undefined : namedPartOf(route.path);
    const answer = async (ctx: Context) => {
      refuseCrossSite(app, ctx);
      const client = route.audience === 'viewer' ? await identify.client(ctx) : undefined;
      const person = client === undefined && route.audience !== 'anyone' ? await identify.person(ctx) : undefined;
      if (route.audience !== 'anyone' && person === undefined && client === undefined) {
        throw new Refusal('SIGN_IN_NEEDED', 'You must sign in.', {
          hint: 'Use underbell sign-in, or /console/sign-in in a browser.',
        });
      }
      refuseChange(route, person);
      const { params, query, body } = await countingMistakes(app, route, ctx, async () => ({
        params: readInput((ctx as unknown as { params: object }).params, route.params, 'path'),
        query: readInput({ ...ctx.query }, route.query, 'query'),
        body: await readBody(route, ctx),
      }));
      const again = async () => {
        if (client) return { client: await identify.clientAgain(ctx) };
        const same = person && (await identify.person(ctx));
        if (person && same?.id !== person.id) throw new Refusal('SIGN_IN_NEEDED', 'The session has ended.');
        return same ? { person: same } : {};
      };
      const askers = askersOf(route, (params ?? {}) as { name?: string }, person, client);
      const request = {
        again,
        askers,
        app,
        ctx,
        params: { ...(params as Record<string, unknown> | undefined) },
        query,
        body,
        client,
        origin: ctx.ip,
        get person(): PersonViewer {
          if (person) return person;
          throw new Refusal('SIGN_IN_NEEDED', 'You must sign in.');
        },
      };
      const handle = async () => {
        const isChange = route.method !== 'get' && !route.isRemembered && !route.isRead;
        const work = () =>
          leadOn(app, part, request.params, {
            isChange,
            isShown: (named) => identify.isShown(named, { person, client }),
            work: () => runAs(askers, () => route.handle(request as never)),
          });
        // A stream is there to be read once.
        const made = await (isChange && person && route.consumes === undefined ? amongNames(app, work) : work());
        return { status: made === null ? 204 : (route.status ?? 200), body: made as unknown };
      };
      // What changes nothing is done anew: its answer is as much as its asker may see now.
      const key = route.audience === 'anyone' || route.isRead ? undefined : idempotencyKey(ctx);
      const still = async (decisions: readonly Decision[]) => {
        // That something was deleted is no more than its asker knows.
        if (person && route.method !== 'delete') await identify.still(person, decisions);
      };
      const {
        status,
        body: made,
        isReplay,
      } = key === undefined
        ? { ...(await handle()), isReplay: false }
        : await doOnce(app, ctx, { asker: askers[0] ?? ctx.ip, key, body, still }, handle);
      if (ctx.body !== undefined || ctx.status === 304) return;
      ctx.status = status;
      if (isReplay) ctx.set('Idempotency-Replayed', 'true');
      if (made === null) {
        ctx.status = 204;
      } else if (typeof made === 'object' && 'stream' in made) {
        const { type, stream } = made as { type: string; stream: Readable };
        ctx.type = type;
        ctx.body = stream;
      } else {
        ctx.body = made;
      }
    };
    const { answerRefusal } = route;
    const run = answerRefusal
      ? async (ctx: Context) => {
          try {
            await answer(ctx);
          } catch (error) {
            const refusal = asRefusal(error);
            if (!refusal || toProblemDocument(refusal).status >= 500) throw error;
            answerRefusal(ctx, refusal);
          }
        }
      : route.isRemembered
        ? async (ctx: Context) => withMemory(app, () => answer(ctx), await identify.begin(ctx))
        : answer;
    router[route.method](route.path, run);
  }
  return router;
}
