import Joi from 'joi';
import { placeKinds } from '@underbell/core/access';
import type { Inferred } from '@underbell/core/check';
import { toFilterText } from '@underbell/core/filter';
import { placementThemes } from '@underbell/core/placement';
import { chartParts } from '@underbell/core/report';
import { filter, webOrigin } from '../access/index.ts';
import type { PlacementWish } from './usecases.ts';

// Looked up afterwards, where the nearest valid name is known.
const word = Joi.string().max(60);
const partsOfReport = ['page', 'figure', 'firstPage', 'edition'];

/** What is shown in a place, and how: of every kind of place. */
export const placedPart = Joi.object({
  title: Joi.string().trim().min(1).max(200).required(),
  report: word,
  board: word,
  page: word.description('only this page'),
  figure: word.description('only this figure of the page'),
  firstPage: word.description('page that is shown first, if the whole report is placed'),
  where: Joi.object().pattern(Joi.string().max(60), filter).default({}),
  swaps: Joi.object()
    .pattern(Joi.string().max(60), Joi.object().pattern(Joi.string().max(63), Joi.string().max(63)))
    .default({})
    .description('masks of the placement: columns by dataset'),
  parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)).default({}),
  edition: Joi.number().integer().min(1).max(2_147_483_647).description('fixed edition; default: the current one'),
  look: Joi.object({
    hideBar: Joi.boolean().description('hide the toolbar'),
    hidePages: Joi.boolean().description('hide the page list'),
    theme: Joi.string().valid(...placementThemes),
    maxHeight: Joi.number().integer().min(120).max(4000).description('height in pixels; the content scrolls'),
    hide: Joi.array()
      .items(Joi.string().valid(...chartParts))
      .unique()
      .description('parts of charts that are hidden'),
    figures: Joi.array().items(word).min(1).max(60).unique().description('figures of the page, in this order'),
    isStacked: Joi.boolean().description('show figures in one column'),
  }).default({}),
})
  .xor('report', 'board')
  .with('figure', 'page')
  .without('page', 'firstPage')
  .without('board', partsOfReport);

/** A placement as it is asked for. */
export const placementInput = placedPart.keys({
  kind: Joi.string()
    .valid(...placeKinds)
    .required(),
  origins: Joi.array().items(webOrigin).max(50).default([]),
});

export type PlacedPart = Inferred<typeof placedPart>;

/** What was asked for, as it is kept. */
export function wishOf(
  place: Pick<PlacementWish, 'name' | 'kind' | 'origins'>,
  { report, board, page, figure, firstPage, where, edition, ...rest }: PlacedPart,
): PlacementWish {
  return {
    ...place,
    ...rest,
    reportName: report ?? null,
    boardName: board ?? null,
    page: page ?? null,
    figure: figure ?? null,
    firstPage: firstPage ?? null,
    editionNumber: edition ?? null,
    conditions: Object.fromEntries(Object.entries(where).map(([dataset, one]) => [dataset, toFilterText(one)])),
  };
}
