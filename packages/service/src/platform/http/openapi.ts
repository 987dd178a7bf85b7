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
  description: 'the same request under the same key is done once; later ones get its answer',
  schema: { type: 'string', minLength: 1, maxLength: 255 },
};

const security: Record<Route['audience'], JsonSchema[]> = {
  anyone: [],
  person: [{ session: [] }, { sessionKey: [] }],
  viewer: [{ session: [] }, { sessionKey: [] }, { accessToken: [] }],
};

function operation(route: Route): JsonSchema {
  const { answer } = route;
  const schema = answer?.schema ? toJsonSchema(answer.schema) : { type: 'object' };
  const body = requestBody(route);
  return {
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
      [String(route.status ?? 200)]: {
        description: answer?.description ?? 'done',
        content: { [answer?.type ?? 'application/json']: { schema } },
      },
      default: {
        description: 'refused, with a stable code',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
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
    },
    servers: [{ url: publicUrl }],
    paths,
    components: {
      schemas: { Problem: problem },
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: cookieName(publicUrl, 'session') },
        sessionKey: { type: 'http', scheme: 'bearer', description: 'a key from POST /api/v1/session' },
        accessToken: {
          type: 'oauth2',
          flows: { clientCredentials: { tokenUrl: `${publicUrl}/oauth/token`, scopes: {} } },
        },
      },
    },
  };
}
