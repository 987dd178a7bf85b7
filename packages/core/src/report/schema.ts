import Joi from 'joi';
import { columnTypes, dateSteps, fieldName, thingName } from '../dataset/index.ts';
import { numberPattern } from '../format/index.ts';
import { chartParts, gridColumns, incompletePeriodKinds, reportFormat, tones } from './definition.ts';

const field = Joi.string()
  .pattern(fieldName, 'lower-case letters, digits and underscores, starting with a letter')
  .max(63);
const thing = Joi.string().pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter').max(60);
/** A name that is looked up afterwards, where the nearest valid one is known. */
const reference = Joi.string().max(63);
const filter = Joi.string().max(16_384).description('CQL2 text');
const words = Joi.string().trim().min(1).max(200);
const numberOrMeasure = Joi.alternatives(Joi.number(), reference);
const numberFormat = Joi.string().max(40).pattern(numberPattern, 'a Unicode number pattern such as #,##0.0 or 0.0 %');
const whole = (most: number) => Joi.number().integer().min(1).max(most);
const kind = (name: string) => Joi.string().valid(name).required();
const step = Joi.string()
  .valid(...dateSteps)
  .description('dates are gathered by so much');

const place = Joi.object({
  column: whole(gridColumns).required(),
  row: whole(200).required(),
  width: whole(gridColumns).required(),
  height: whole(40).required(),
});

const base = {
  name: thing.required(),
  title: words.required(),
  at: place.required(),
  dataset: reference,
  where: filter,
  link: Joi.object({ page: reference.required() }).description('a page that tells more; filters go along'),
  note: words,
};
const colours = Joi.array()
  .items(
    Joi.object({
      when: filter.required(),
      tone: Joi.string()
        .valid(...tones)
        .required(),
      column: reference,
      words,
    }),
  )
  .max(20)
  .description('the first rule that holds colours');
const lines = Joi.array()
  .items(Joi.object({ label: words.required(), at: numberOrMeasure.required() }))
  .max(6);
const better = Joi.string().valid('more', 'less');
const compare = Joi.object({
  with: Joi.string().valid('period before', 'year before', 'target').required(),
  target: numberOrMeasure.when('with', { is: 'target', then: Joi.required(), otherwise: Joi.forbidden() }),
  better,
});
const hide = Joi.array()
  .items(Joi.string().valid(...chartParts))
  .unique()
  .description('parts of the chart that are left out');
const incompletePeriods = Joi.string()
  .valid(...incompletePeriodKinds)
  .description('the first and last period, where rows fill them in part only; `mark` when left out');
const axis = { by: reference.required(), step, incompletePeriods, split: reference, each: reference, lines, hide };
const measures = Joi.array().items(reference).min(1).max(6).required();

const figures = {
  number: Joi.object({
    kind: kind('number'),
    ...base,
    measure: reference.required(),
    beside: reference,
    compare,
    trend: Joi.object({ along: reference.required(), step }),
    incompletePeriods,
    colours,
  }),
  bar: Joi.object({
    kind: kind('bar'),
    ...base,
    ...axis,
    measure: reference.required(),
    sort: Joi.string().valid('value', 'name'),
    ascending: Joi.boolean(),
    limit: whole(200),
    others: Joi.boolean(),
    stack: Joi.string().valid('stacked', 'beside', 'share'),
    colours,
    compare,
    drill: Joi.array().items(reference).min(1).max(5),
  }),
  line: Joi.object({ kind: kind('line'), ...base, ...axis, measures }),
  area: Joi.object({ kind: kind('area'), ...base, ...axis, measures }),
  scatter: Joi.object({
    kind: kind('scatter'),
    ...base,
    by: reference.required(),
    x: reference.required(),
    y: reference.required(),
    size: reference,
    limit: whole(500),
    lines,
    hide,
  }),
  table: Joi.object({
    kind: kind('table'),
    ...base,
    columns: Joi.array().items(reference).min(1).max(40).required(),
    measures: Joi.array().items(reference).max(20),
    sort: Joi.array()
      .items(Joi.object({ by: reference.required(), descending: Joi.boolean() }))
      .max(4),
    limit: whole(1_000_000),
    totals: Joi.boolean(),
    subtotals: Joi.array().items(reference).min(1).max(4),
    colours,
  }),
  crosstab: Joi.object({
    kind: kind('crosstab'),
    ...base,
    rows: Joi.array().items(reference).min(1).max(4).required(),
    across: reference.required(),
    step,
    measure: reference.required(),
    totals: Joi.boolean(),
    limit: whole(500),
    colours,
  }),
  text: Joi.object({ kind: kind('text'), ...base, text: Joi.string().max(4000).required() }),
  picker: Joi.object({
    kind: kind('picker'),
    name: base.name,
    title: base.title,
    at: base.at,
    note: base.note,
    parameter: reference.required(),
    look: Joi.string().valid('list', 'search', 'dates'),
  }),
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
  narrow: Joi.array().items(reference).min(1).max(60).description('figures in their order for a narrow place'),
  print: Joi.object({
    paper: Joi.string().valid('A4', 'LETTER'),
    orientation: Joi.string().valid('portrait', 'landscape'),
    header: words,
    footer: words,
  }),
});

const value = Joi.string().max(1000);
const parameter = Joi.object({
  name: field.required(),
  label: words,
  type: Joi.string()
    .valid(...columnTypes)
    .required(),
  key: reference,
  column: reference,
  required: Joi.boolean(),
  many: Joi.boolean(),
  period: Joi.boolean().description('a stretch of days, such as 2026-10 or last month; only for dates'),
  default: Joi.alternatives(value, Joi.array().items(value).min(1).max(100)),
  allowed: Joi.alternatives(
    Joi.array().items(value).min(1).max(500),
    Joi.object({
      dataset: reference,
      column: reference.required(),
      shown: reference,
      within: Joi.array().items(reference).min(1).max(5),
    }),
  ),
}).xor('key', 'column');

const measure = Joi.object({
  label: words.required(),
  expression: Joi.string().max(2000).required(),
  dataset: reference,
  format: numberFormat,
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
