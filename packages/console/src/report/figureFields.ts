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
const limit: FigureField = { field: 'limit', label: 'No more than', takes: 'number' };
const yes = (field: string, label: string): FigureField => ({ field, label, takes: 'yes' });
const step = choice(
  'step',
  'Dates by',
  Object.fromEntries(['', ...dateSteps].map((one) => [one, one || 'as they are'])),
);
const incomplete = choice('incompletePeriods', 'Incomplete periods', {
  '': 'marked',
  omit: 'left out',
  show: 'as any other',
});
const hide: FigureField = {
  field: 'hide',
  label: 'Without',
  takes: 'some',
  choices: chartParts.map((one) => ({ value: one, label: one })),
};
const split = column('split', 'A series for each', 'no series');
const each = column('each', 'A small chart for each', 'one chart');

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
  number: [measure('measure', 'Measure'), measure('beside', 'Small beneath', 'nothing')],
  bar: [
    measure('measure', 'Measure'),
    column('by', 'For each'),
    step,
    incomplete,
    choice('sort', 'Sorted by', { '': 'value', name: 'name' }),
    yes('ascending', 'Smallest first'),
    limit,
    yes('others', 'The rest as one last bar'),
    split,
    choice('stack', 'Its series', { '': 'stacked', beside: 'side by side', share: 'as shares' }),
    each,
    hide,
  ],
  line: alongDate,
  area: alongDate,
  scatter: [
    column('by', 'A point for each'),
    measure('x', 'Across'),
    measure('y', 'Up'),
    measure('size', 'Its size', 'all alike'),
    limit,
    hide,
  ],
  table: [
    { field: 'columns', label: 'Columns', takes: 'columns' },
    { field: 'measures', label: 'Measures', takes: 'measures' },
    limit,
    yes('totals', 'With totals'),
  ],
  crosstab: [
    measure('measure', 'Measure'),
    { field: 'rows', label: 'Down', takes: 'columns' },
    column('across', 'Across'),
    step,
    yes('totals', 'With totals'),
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
