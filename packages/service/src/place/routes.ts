import Joi from 'joi';
import type { PlaceKind } from '@underbell/core/access';
import { toFilterText } from '@underbell/core/filter';
import { filter, thing, webOrigin } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { savePlacement, seenPlacement, seenPlacements } from './usecases.ts';
import type { Placement } from './models.ts';

interface PlacementInput {
  readonly kind: PlaceKind;
  readonly title: string;
  readonly report: string;
  readonly page?: string;
  readonly where: Record<string, unknown>;
  readonly parameters: Record<string, string>;
  readonly origins: string[];
  readonly edition?: number;
}

export const placeRoutes: Route[] = [
  defineRoute<Record<string, never>, { report?: string }>({
    method: 'get',
    path: '/api/v1/placements',
    tag: 'Places',
    audience: 'person',
    summary: 'Where reports are shown',
    query: Joi.object({ report: thing }),
    handle: async ({ app, person, query }) => ({ placements: await seenPlacements(app, person, query.report) }),
  }),
  defineRoute<{ name: string }>({
    method: 'get',
    path: '/api/v1/placements/:name',
    tag: 'Places',
    audience: 'person',
    summary: 'One placement, with the lines to paste into a page',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => seenPlacement(app, person, params.name),
  }),
  defineRoute<{ name: string }, Record<string, never>, PlacementInput>({
    method: 'put',
    path: '/api/v1/placements/:name',
    tag: 'Places',
    audience: 'person',
    summary: 'Save a placement',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({
      kind: Joi.string().valid('portal', 'app', 'link').required(),
      title: Joi.string().trim().min(1).max(200).required(),
      // Looked up afterwards, where the nearest valid name is known.
      report: Joi.string().max(60).required(),
      page: Joi.string().max(60),
      where: Joi.object().pattern(Joi.string().max(60), filter).default({}),
      parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)).default({}),
      origins: Joi.array().items(webOrigin).max(50).default([]),
      edition: Joi.number()
        .integer()
        .min(1)
        .description('stays with this edition; follows the current one when left out'),
    }),
    handle({ app, person, params, body, origin: from }) {
      const { report, page, where, edition, ...rest } = body;
      const placement: Omit<Placement, 'writerId'> = {
        name: params.name,
        ...rest,
        reportName: report,
        page: page ?? null,
        editionNumber: edition ?? null,
        conditions: Object.fromEntries(Object.entries(where).map(([dataset, one]) => [dataset, toFilterText(one)])),
      };
      return savePlacement(app, person, placement, from);
    },
  }),
];
