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

const about = { tag: 'Sending', audience: 'person' } as const;

export const calendarRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/holiday-calendars',
    summary: 'Lists of holidays that schedules leave out',
    handle: async ({ app }) => ({ holidays: await listHolidays(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/holiday-calendars',
    summary: 'Save a list of holidays, by its days or from a file',
    body: Joi.object({
      name: thing.required(),
      title: Joi.string().trim().min(1).max(200).required(),
      days: Joi.array().items(Joi.string().max(10)).min(1).max(4_000),
      text: Joi.string()
        .max(2_000_000)
        .description('an iCalendar file (RFC 5545), of which all-day events count, or days, one in a line'),
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
    summary: 'Remove a list of holidays that no schedule names',
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
    summary: 'Whether your calendar of what is sent has an address',
    handle: ({ app, person }) => showCalendar(app, person),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/calendar-feed',
    summary: 'Make the secret address of your calendar; the one before stops working',
    status: 201,
    handle: ({ app, person, origin }) => makeCalendar(app, person, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/calendar-feed',
    summary: 'Take the address of your calendar back',
    async handle({ app, person, origin }) {
      await dropCalendar(app, person, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/calendar/:file',
    tag: 'Sending',
    audience: 'anyone',
    summary: 'When the bursts run that the owner of this address may see (RFC 5545)',
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
