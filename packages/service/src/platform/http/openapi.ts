import type Joi from 'joi';
import { jsonSchemaOf as toJsonSchema, type JsonSchema } from '@underbell/core/check';
import { refusalKinds } from '@underbell/core/refusal';
import { cookieName } from './cookies.ts';
import type { Route } from './route.ts';

function parametersOf(schema: Joi.AnySchema | undefined, place: 'path' | 'query'): JsonSchema[] {
  if (schema === undefined) return [];
  const made = toJsonSchema(schema) as { properties?: Record<string, JsonSchema>; required?: string[] };
  return Object.entries(made.properties ?? {}).map(([name, one]) => ({
    name,
    in: place,
    required: place === 'path' || (made.required ?? []).includes(name),
    schema: one,
  }));
}

function requestBody(route: Route): JsonSchema | undefined {
  if (route.consumes)
    return { required: true, content: { [route.consumes]: { schema: { type: 'string', format: 'binary' } } } };
  if (route.body === undefined) return undefined;
  const type = route.takesForm ? 'application/x-www-form-urlencoded' : 'application/json';
  return { required: true, content: { [type]: { schema: toJsonSchema(route.body) } } };
}

const idempotencyHeader: JsonSchema = {
  name: 'Idempotency-Key',
  in: 'header',
  required: false,
  description: 'Idempotency key: a repeated request with the same key is executed once and returns the first response',
  schema: { type: 'string', minLength: 1, maxLength: 255 },
};

const security: Record<Route['audience'], JsonSchema[]> = {
  anyone: [],
  person: [{ session: [] }, { sessionKey: [] }],
  viewer: [{ session: [] }, { sessionKey: [] }, { accessToken: [] }],
};

/** `getGroupsByName` of `GET /api/v1/groups/:name`: one for each route, the same in every version. */
function operationId({ method, path }: Route): string {
  const words = path
    .replace(/^\/api\/v1/, '')
    .split(/[^A-Za-z0-9:]+/)
    .filter((word) => word !== '')
    .map((word) => (word.startsWith(':') ? `by-${word.slice(1)}` : word));
  return [method, ...words.flatMap((word) => word.split('-'))]
    .map((word, i) => (i === 0 ? word : word[0]!.toUpperCase() + word.slice(1)))
    .join('');
}

const isJson = (type: string) => type === 'application/json';
/** Text is read as it is; anything else that is no JSON as bytes. */
const isText = (type: string) => /^text\/|jsonl$|ndjson$|[+/]xml$/.test(type);

/** What comes back, by its media type. */
function contentOf({ answer }: Route): JsonSchema {
  const json = () => (answer?.schema ? toJsonSchema(answer.schema) : { type: 'object' });
  const file = (type: string) => ({ type: 'string', ...(isText(type) ? {} : { format: 'binary' }) });
  const types = [answer?.type ?? 'application/json'].flat().map((type) => type.split(';')[0]!);
  return Object.fromEntries(types.map((type) => [type, { schema: isJson(type) ? json() : file(type) }]));
}

function operation(route: Route): JsonSchema {
  const { answer, status = 200 } = route;
  const body = requestBody(route);
  return {
    operationId: operationId(route),
    summary: route.summary,
    tags: [route.tag],
    security: security[route.audience],
    parameters: [
      ...parametersOf(route.params, 'path'),
      ...parametersOf(route.query, 'query'),
      ...(route.method === 'get' || route.audience === 'anyone' ? [] : [idempotencyHeader]),
    ],
    ...(body ? { requestBody: body } : {}),
    responses: {
      [String(status)]: {
        description: answer?.description ?? 'done',
        ...(status === 204 ? {} : { content: contentOf(route) }),
      },
      '4XX': { $ref: '#/components/responses/Problem' },
      '5XX': { $ref: '#/components/responses/Problem' },
    },
  };
}

const problem: JsonSchema = {
  type: 'object',
  description: 'Problem details (RFC 9457)',
  required: ['type', 'title', 'status', 'detail', 'code'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    code: { type: 'string', enum: Object.keys(refusalKinds) },
    pointer: { type: 'string' },
    position: {
      type: 'object',
      properties: { line: { type: 'integer' }, column: { type: 'integer' }, offset: { type: 'integer' } },
    },
    word: { type: 'string' },
    expected: { type: 'string' },
    hint: { type: 'string' },
    nearest: { type: 'array', items: { type: 'string' } },
    problems: {
      type: 'array',
      items: {
        type: 'object',
        properties: { at: { type: 'string' }, message: { type: 'string' }, hint: { type: 'string' } },
      },
    },
    reference: { type: 'string' },
  },
};

/** Describes the API as OpenAPI 3.1, from the schemas that also validate. */
export function describeApi(routes: readonly Route[], publicUrl: string): JsonSchema {
  const paths: Record<string, Record<string, JsonSchema>> = {};
  for (const route of routes) {
    const path = route.path.replace(/:(\w+)/g, '{$1}');
    paths[path] = { ...paths[path], [route.method]: operation(route) };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Under Bell',
      version: '1',
      description: 'Delivers published reports, filtered to what each viewer may see.',
      license: { name: 'All rights reserved', identifier: 'LicenseRef-Under-Bell' },
    },
    servers: [{ url: publicUrl }],
    paths,
    components: {
      schemas: { Problem: problem },
      responses: {
        Problem: {
          description: 'Rejected, with a stable code',
          content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
        },
      },
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: cookieName(publicUrl, 'session') },
        sessionKey: { type: 'http', scheme: 'bearer', description: 'session token from POST /api/v1/session' },
        accessToken: {
          type: 'oauth2',
          flows: { clientCredentials: { tokenUrl: `${publicUrl}/oauth/token`, scopes: {} } },
        },
      },
    },
  };
}
