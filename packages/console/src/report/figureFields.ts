import { dateSteps } from '@underbell/core/dataset';
import { chartParts, type Figure } from '@underbell/core/report';

interface Choice {
  readonly value: string;
  readonly label: string;
}
/** A field of a figure that people change often: what it takes, and what it is called. */
export type FigureField =
  | { readonly field: string; readonly label: string; readonly takes: 'words' | 'text' | 'number' | 'yes' }
  | {
      readonly field: string;
      readonly label: string;
      readonly takes: 'column' | 'measure' | 'parameter';
      readonly none?: string;
    }
  | { readonly field: string; readonly label: string; readonly takes: 'columns' | 'measures' }
  | {
      readonly field: string;
      readonly label: string;
      readonly takes: 'choice' | 'some';
      readonly choices: readonly Choice[];
    };

const column = (field: string, label: string, none?: string): FigureField =>
  none === undefined ? { field, label, takes: 'column' } : { field, label, takes: 'column', none };
const measure = (field: string, label: string, none?: string): FigureField =>
  none === undefined ? { field, label, takes: 'measure' } : { field, label, takes: 'measure', none };
const choice = (field: string, label: string, choices: Readonly<Record<string, string>>): FigureField => ({
  field,
  label,
  takes: 'choice',
  choices: Object.entries(choices).map(([value, words]) => ({ value, label: words })),
});
const limit: FigureField = { field: 'limit', label: 'Limit', takes: 'number' };
const yes = (field: string, label: string): FigureField => ({ field, label, takes: 'yes' });
const step = choice('step', 'Group dates by', Object.fromEntries(['', ...dateSteps].map((one) => [one, one || 'day'])));
const incomplete = choice('incompletePeriods', 'Incomplete periods', {
  '': 'marked',
  omit: 'left out',
  show: 'as any other',
});
const hide: FigureField = {
  field: 'hide',
  label: 'Hide',
  takes: 'some',
  choices: chartParts.map((one) => ({ value: one, label: one })),
};
const split = column('split', 'Series by', 'none');
const each = column('each', 'Small charts by', 'none');

const alongDate: readonly FigureField[] = [
  { field: 'measures', label: 'Measures', takes: 'measures' },
  column('by', 'Along'),
  step,
  incomplete,
  split,
  each,
  hide,
];

/** Beside title and note, which every figure has. */
export const fieldsOf: Readonly<Record<Figure['kind'], readonly FigureField[]>> = {
  number: [measure('measure', 'Measure'), measure('beside', 'Secondary measure', 'nothing')],
  bar: [
    measure('measure', 'Measure'),
    column('by', 'Category'),
    step,
    incomplete,
    choice('sort', 'Sort by', { '': 'value', name: 'name' }),
    yes('ascending', 'Ascending'),
    limit,
    yes('others', 'Group the rest as “Other”'),
    split,
    choice('stack', 'Series layout', { '': 'stacked', beside: 'grouped', share: 'stacked to 100 %' }),
    each,
    hide,
  ],
  line: alongDate,
  area: alongDate,
  scatter: [
    column('by', 'Point for each'),
    measure('x', 'Across'),
    measure('y', 'Up'),
    measure('size', 'Size', 'same'),
    limit,
    hide,
  ],
  table: [
    { field: 'columns', label: 'Columns', takes: 'columns' },
    { field: 'measures', label: 'Measures', takes: 'measures' },
    limit,
    yes('totals', 'Totals'),
  ],
  crosstab: [
    measure('measure', 'Measure'),
    { field: 'rows', label: 'Down', takes: 'columns' },
    column('across', 'Across'),
    step,
    yes('totals', 'Totals'),
  ],
  text: [{ field: 'text', label: 'Words', takes: 'text' }],
  picker: [{ field: 'parameter', label: 'Sets', takes: 'parameter' }],
};

/** What a figure of a kind needs at least, where it is added. */
export function firstFigure(
  kind: Figure['kind'],
  name: string,
  known: { readonly column?: string; readonly measure?: string; readonly parameter?: string },
): Record<string, unknown> {
  const { column: by = '', measure: first = '', parameter = '' } = known;
  const own: Readonly<Record<Figure['kind'], object>> = {
    number: { measure: first },
    bar: { by, measure: first },
    line: { by, measures: [first] },
    area: { by, measures: [first] },
    scatter: { by, x: first, y: first },
    table: { columns: [by], measures: [first] },
    crosstab: { rows: [by], across: by, measure: first },
    text: { text: 'Words' },
    picker: { parameter },
  };
  return { kind, name, title: 'New', ...own[kind] };
}
