import Joi from 'joi';
import type { TokenViewer } from '@underbell/core/access';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { pageRoutes } from '../view/index.ts';
import { askForReport, preparePlacement } from './view.ts';

/** What visitors of a placement ask for. */
export const placeViewRoutes: Route[] = [
  ...pageRoutes('/api/v1/placements/:name', 'viewer', 'the visitor of a placement', (asked, request) => {
    const { app, client, params } = asked;
    const who = client ? { client: client as TokenViewer } : { person: asked.person };
    return preparePlacement(app, params.name, who, request);
  }),
  defineRoute<Record<string, never>, Record<string, never>, { report?: string; placement?: string; words: string }>({
    method: 'post',
    path: '/api/v1/requests',
    tag: 'People',
    audience: 'person',
    summary: 'Ask the owners of a report for access to it, as its reader',
    status: 202,
    body: Joi.object({
      report: thing,
      placement: thing,
      words: Joi.string().trim().max(2000).allow('').default(''),
    }).xor('report', 'placement'),
    async handle({ app, person, body, origin }) {
      await askForReport(app, person, body, origin);
      return { isAsked: true };
    },
  }),
];
