import { Readable } from 'node:stream';
import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import {
  dropCalendar,
  dropHolidays,
  listHolidays,
  makeCalendar,
  ownerOfCalendar,
  saveHolidays,
  showCalendar,
} from '../schedule/index.ts';
import { allAsCalendar, reschedule, usersOfHolidays } from './nextRuns.ts';

const about = { tag: 'Calendars', audience: 'person' } as const;

export const calendarRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/holiday-calendars',
    summary: 'List holiday calendars',
    handle: async ({ app }) => ({ holidays: await listHolidays(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/holiday-calendars',
    summary: 'Save a holiday calendar from days or a file',
    body: Joi.object({
      name: thing.required(),
      title: Joi.string().trim().min(1).max(200).required(),
      days: Joi.array().items(Joi.string().max(10)).min(1).max(4_000),
      text: Joi.string()
        .max(2_000_000)
        .description('iCalendar file (RFC 5545), of which all-day events are used, or one day per line'),
    }).xor('days', 'text'),
    async handle({ app, person, body, origin }) {
      const list = await saveHolidays(app, person, body, origin);
      await reschedule(app, list.name);
      return list;
    },
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/holiday-calendars/:name',
    summary: 'Delete a holiday calendar that is not in use',
    params: Joi.object({ name: thing.required() }),
    async handle({ app, person, params, origin }) {
      await dropHolidays(app, person, params.name, await usersOfHolidays(app, params.name), origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/calendar-feed',
    summary: 'Get the state of your calendar feed',
    handle: ({ app, person }) => showCalendar(app, person),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/calendar-feed',
    summary: 'Create a new secret URL for your calendar feed; the previous one is revoked',
    status: 201,
    handle: ({ app, person, origin }) => makeCalendar(app, person, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/calendar-feed',
    summary: 'Revoke your calendar feed',
    async handle({ app, person, origin }) {
      await dropCalendar(app, person, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/calendar/:file',
    tag: 'Calendars',
    audience: 'anyone',
    summary: 'Get the calendar feed of planned runs (RFC 5545)',
    params: Joi.object({
      file: Joi.string()
        .pattern(/^[\w-]{10,100}\.ics$/)
        .required(),
    }),
    answer: { description: 'a calendar', type: 'text/calendar' },
    async handle({ app, params }) {
      const owner = await ownerOfCalendar(app, params.file.replace(/\.ics$/, ''));
      const text = await allAsCalendar(app, owner);
      return { stream: Readable.from([text]), type: 'text/calendar; charset=utf-8' };
    },
  }),
];
