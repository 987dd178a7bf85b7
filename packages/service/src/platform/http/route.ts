import type { Readable } from 'node:stream';
import type Joi from 'joi';
import type { Context } from 'koa';
import { jsonSchemaOf, type Inferred } from '@underbell/core/check';
import type { ClientViewer, PersonViewer } from '@underbell/core/access';
import type { Refusal } from '@underbell/core/refusal';
import type { App } from '../app.ts';
import { perInstance } from '../perInstance.ts';
import type { AskerKey } from '../concurrencyLimits.ts';

/** Who may ask: anyone, a signed-in person, or a person or the holder of an access token. */
export type RouteAudience = 'anyone' | 'person' | 'viewer';

export interface Request<Params, Query, Body> {
  readonly app: App;
  readonly ctx: Context;
  readonly params: Params;
  readonly query: Query;
  readonly body: Body;
  /** The signed-in person; throws `SIGN_IN_NEEDED` when there is none. */
  readonly person: PersonViewer;
  /** Set where the audience is `viewer` and an access token came along. */
  readonly client?: ClientViewer;
  /** Address of the asker, for the audit. */
  readonly origin: string;
  /** Looks anew who asks, for what lasts; throws a refusal when the key does not count any more. */
  readonly again: () => Promise<{ readonly person?: PersonViewer; readonly client?: ClientViewer }>;
  /** Those whose share of what is shared this request uses. */
  readonly askers: readonly AskerKey[];
}

/** What a handler answers: JSON, or a stream or bytes with their type. */
export type Answer = object | null | { readonly stream: Readable; readonly type: string };

type Input = Joi.AnySchema | undefined;

export interface RouteSpec<Params extends Input = Input, Query extends Input = Input, Body extends Input = Input> {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  readonly path: string;
  readonly summary: string;
  readonly tag: string;
  readonly audience: RouteAudience;
  readonly params?: Params;
  readonly query?: Query;
  readonly body?: Body;
  /** Only looks at what is published, so that records may come from the process's memory. */
  readonly isRemembered?: true;
  /** Changes nothing, though it is no `get`. */
  readonly isRead?: true;
  /** It is for readers, though it changes something: whoever came in by a chat may do it, too. */
  readonly isForReaders?: true;
  /** The body is not JSON but this media type, and is read as a stream by the handler. */
  readonly consumes?: string;
  /** Words a refusal of what came as another standard has it than problem details. */
  readonly answerRefusal?: (ctx: Context, refusal: Refusal) => void;
  /** The body is form fields (HTML Living Standard, section 4.10.21.7), as an endpoint of OAuth takes them; JSON too. */
  readonly takesForm?: true;
  /** The status of a good answer; 200 when left out. */
  readonly status?: number;
  /** What comes back, in words and as a schema for the description. */
  readonly answer?: {
    readonly description: string;
    readonly schema?: Joi.Schema;
    /** Media types; JSON when left out. */
    readonly type?: string | readonly string[];
  };
  readonly handle: (request: Request<Inferred<Params>, Inferred<Query>, Inferred<Body>>) => Promise<Answer>;
}

/** A route whose types are settled. */
export type Route = Omit<RouteSpec, 'handle'> & {
  readonly handle: (request: Request<never, never, never>) => Promise<Answer>;
};

/** Declares a route; one declaration feeds the router, the API description and the types of what its handler is given. */
export function defineRoute<
  Params extends Input = undefined,
  Query extends Input = undefined,
  Body extends Input = undefined,
>(spec: RouteSpec<Params, Query, Body>): Route {
  return spec as unknown as Route;
}

/** The JSON Schema of a format of ours, under the address that definitions name as their `$schema`. */
export function formatRoute(kind: 'report' | 'board' | 'burst' | 'playlist', schema: Joi.Schema): Route {
  const described = perInstance((app) =>
    jsonSchemaOf(schema, {
      id: `${app.settings.publicUrl}/schemas/underbell-${kind}-1.json`,
      title: `A ${kind} of Under Bell`,
    }),
  );
  return defineRoute({
    method: 'get',
    path: `/schemas/underbell-${kind}-1.json`,
    tag: 'Formats',
    audience: 'anyone',
    summary: `JSON Schema of the format underbell-${kind}/1, for editors and validators`,
    handle: ({ app }) => Promise.resolve(described(app)),
  });
}
