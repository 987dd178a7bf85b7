import Joi from 'joi';
import { columnTypes, fieldName, thingName } from '../dataset/index.ts';
import { gridColumns, reportFormat } from './definition.ts';

const field = Joi.string()
  .pattern(fieldName, 'lower-case letters, digits and underscores, starting with a letter')
  .max(63);
const thing = Joi.string().pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter').max(60);
/** A name that is looked up afterwards, where the nearest valid one is known. */
const reference = Joi.string().max(63);
const filter = Joi.string().max(16_384).description('CQL2 text');
const words = Joi.string().trim().min(1).max(200);

const place = Joi.object({
  column: Joi.number().integer().min(1).max(gridColumns).required(),
  row: Joi.number().integer().min(1).max(200).required(),
  width: Joi.number().integer().min(1).max(gridColumns).required(),
  height: Joi.number().integer().min(1).max(40).required(),
});

const figureBase = {
  name: thing.required(),
  title: words.required(),
  at: place.required(),
};
const dataBase = { ...figureBase, dataset: reference, where: filter };
const kind = (name: string) => Joi.string().valid(name).required();
const sort = Joi.array()
  .items(Joi.object({ by: reference.required(), descending: Joi.boolean() }))
  .max(4);

const figures = {
  number: Joi.object({ kind: kind('number'), ...dataBase, measure: reference.required(), beside: reference }),
  bar: Joi.object({
    kind: kind('bar'),
    ...dataBase,
    by: reference.required(),
    measure: reference.required(),
    sort: Joi.string().valid('value', 'name'),
    limit: Joi.number().integer().min(1).max(200),
  }),
  line: Joi.object({
    kind: kind('line'),
    ...dataBase,
    by: reference.required(),
    measures: Joi.array().items(reference).min(1).max(6).required(),
  }),
  table: Joi.object({
    kind: kind('table'),
    ...dataBase,
    columns: Joi.array().items(reference).min(1).max(40).required(),
    measures: Joi.array().items(reference).max(20),
    sort,
    limit: Joi.number().integer().min(1).max(1000),
  }),
  text: Joi.object({ kind: kind('text'), ...figureBase, text: Joi.string().max(4000).required() }),
};

const figure = Joi.alternatives().conditional('.kind', {
  switch: Object.entries(figures).map(([is, then]) => ({ is, then })),
  otherwise: Joi.object({
    kind: Joi.string()
      .valid(...Object.keys(figures))
      .required(),
  }).unknown(true),
});

const page = Joi.object({
  name: thing.required(),
  title: words.required(),
  where: filter,
  figures: Joi.array().items(figure).min(1).max(60).required(),
  print: Joi.object({
    paper: Joi.string().valid('A4', 'LETTER'),
    orientation: Joi.string().valid('portrait', 'landscape'),
  }),
});

const parameter = Joi.object({
  name: field.required(),
  label: words,
  type: Joi.string()
    .valid(...columnTypes)
    .required(),
  key: reference,
  column: reference,
  required: Joi.boolean(),
}).xor('key', 'column');

const measure = Joi.object({
  label: words.required(),
  expression: Joi.string().max(2000).required(),
  dataset: reference,
  format: Joi.string().max(40),
  unit: Joi.string().max(20),
});

/** The shape of a report definition; names and expressions are checked afterwards, against the datasets. */
export const reportSchema = Joi.object({
  $schema: Joi.string(),
  format: Joi.string().valid(reportFormat).required(),
  name: thing.required(),
  title: words.required(),
  description: Joi.string().max(2000),
  datasets: Joi.object()
    .pattern(thing, Joi.object({ shared: Joi.boolean() }))
    .min(1)
    .max(20)
    .required(),
  parameters: Joi.array().items(parameter).max(30),
  measures: Joi.object().pattern(field, measure).required(),
  where: filter,
  pages: Joi.array().items(page).min(1).max(40).required(),
}).required();
