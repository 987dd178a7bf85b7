import Joi from 'joi';
import { notFound, putOwner, requireAuthor, requireRight, thing, visibleNames } from '../access/index.ts';
import { holdName, defineRoute, isThing, remember, type Route } from '../platform/index.ts';
import { checkSourceAddress } from './address.ts';
import { askSource, checkSource } from './check.ts';
import { findSource, listSources, putSource, sourceUrl } from './store.ts';

const name = Joi.object({ name: thing.required() });

export const sourceRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/sources',
    tag: 'Data sources',
    audience: 'person',
    summary: 'List data sources',
    async handle({ app, person }) {
      const all = await listSources(app);
      const seen = await visibleNames(
        app,
        person,
        'source',
        all.map((one) => one.name),
      );
      return { sources: all.filter((one) => seen.includes(one.name)) };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/sources/:name',
    tag: 'Data sources',
    audience: 'person',
    summary: 'Get a data source without its password',
    params: name,
    async handle({ app, person, params }) {
      await requireRight(app, person, 'view', 'source', params.name);
      const source = await findSource(app, params.name);
      if (!source) throw notFound('source', params.name, []);
      return source;
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/sources/:name',
    tag: 'Data sources',
    audience: 'person',
    summary: 'Save a PostgreSQL data source; its password is encrypted',
    params: name,
    body: Joi.object({
      url: Joi.string()
        .uri({ scheme: ['postgres', 'postgresql'] })
        .required(),
    }),
    async handle({ app, person, params, body, origin }) {
      const thing = { kind: 'source', name: params.name } as const;
      const isKnown = await isThing(app, thing);
      if (isKnown) await requireRight(app, person, 'edit', 'source', params.name);
      else await requireAuthor(app, person, 'source');
      await checkSourceAddress(app.settings, body.url);
      await app.records.transaction(async () => {
        await holdName(app, thing, isKnown);
        await putSource(app, params.name, body.url);
        if (!isKnown) await putOwner(app, person, thing);
        await remember(app, { who: person.email, what: 'source saved', thing: `source ${params.name}`, origin });
      });
      return { name: params.name };
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/sources/:name/test',
    tag: 'Data sources',
    audience: 'person',
    summary: 'Test the connection to a data source',
    params: name,
    async handle({ app, person, params }) {
      await requireRight(app, person, 'view', 'source', params.name);
      const url = await sourceUrl(app, params.name);
      if (url === undefined) throw notFound('source', params.name, []);
      await checkSource(app, params.name);
      return askSource(app, params.name, url);
    },
  }),
];
