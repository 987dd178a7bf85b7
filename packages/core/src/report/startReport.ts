import { columnLabel, type DatasetColumn, type DatasetShape } from '../dataset/index.ts';
import { quoteIfNeeded } from '../filter/index.ts';
import { reportFormat, type Figure, type GridPlace, type Measure, type ReportDefinition } from './definition.ts';

/** What is known of a column's values. */
export interface ColumnProfile {
  readonly name: string;
  readonly distinct: number;
  readonly missing: number;
}

const identifier = /(^|_)(id|number|code|no)$/;
/** More bars than this tell nothing. */
const fewValues = 60;

const place = (column: number, row: number, width: number, height: number): GridPlace => ({
  column,
  row,
  width,
  height,
});
const nameOf = (column: DatasetColumn) => column.name.replaceAll('_', '-');

/** Sums for amounts, shares for yes and no. */
function measuresOf(shape: DatasetShape): Record<string, Measure> {
  const found: [string, Measure][] = [['row_count', { label: 'Rows', expression: 'count()', format: '#,##0' }]];
  for (const column of shape.columns) {
    const label = columnLabel(column);
    const name = quoteIfNeeded(column.name);
    const unit = column.unit ? { unit: column.unit } : {};
    const isNumber = column.type === 'integer' || column.type === 'number';
    if (isNumber && !identifier.test(column.name)) {
      const format = column.format ?? (column.type === 'integer' ? '#,##0' : '#,##0.00');
      found.push([`${column.name}_sum`, { label, expression: `sum(${name})`, format, ...unit }]);
    } else if (column.type === 'boolean') {
      found.push([
        `${column.name}_share`,
        { label: `${label}, share`, expression: `sum(${name}) / count()`, format: '0.0 %' },
      ]);
    }
  }
  return Object.fromEntries(found.slice(0, 12));
}

/** Columns that make sense as bars, those with the fewest values first. */
function groupsOf(shape: DatasetShape, profile: readonly ColumnProfile[]): DatasetColumn[] {
  const distinct = (column: DatasetColumn) => profile.find((one) => one.name === column.name)?.distinct ?? fewValues;
  return shape.columns
    .filter((one) => one.type === 'text' && distinct(one) > 1 && distinct(one) <= fewValues)
    .sort((a, b) => distinct(a) - distinct(b));
}

/**
 * A first report of a dataset, sound and worth changing: numbers along the top, bars, a line along the first date, a table.
 *
 * @param profile - distinct and missing values by column; helps to choose what to group by
 */
export function startReport(
  shape: DatasetShape,
  options: { title: string; profile?: readonly ColumnProfile[] },
): ReportDefinition {
  const measures = measuresOf(shape);
  const names = Object.keys(measures);
  const groups = groupsOf(shape, options.profile ?? []);
  const date = shape.columns.find((one) => one.type === 'date');
  const shown = names.slice(0, 4);
  const width = 12 / Math.max(shown.length, 1);
  const figures: Figure[] = shown.map((measure, i) => ({
    kind: 'number',
    name: `number-${i + 1}`,
    title: measures[measure]!.label,
    measure,
    ...(date ? { trend: { along: date.name, step: 'week' as const } } : {}),
    at: place(1 + i * width, 1, width, 3),
  }));
  const measure = names[1] ?? names[0]!;
  const charts: Figure[] = [];
  if (date)
    charts.push({
      kind: 'line',
      name: `along-${nameOf(date)}`,
      title: `${measures[measure]!.label} by week`,
      by: date.name,
      step: 'week',
      measures: [measure],
      at: place(1, 4, 12, 7),
    });
  for (const column of groups.slice(0, date ? 1 : 2))
    charts.push({
      kind: 'bar',
      name: `by-${nameOf(column)}`,
      title: `${measures[measure]!.label} by ${columnLabel(column).toLowerCase()}`,
      by: column.name,
      measure,
      limit: 15,
      others: true,
      at: place(1, 4, 12, 7),
    });
  const half = charts.length === 2 ? 6 : 12;
  figures.push(...charts.map((chart, i) => ({ ...chart, at: place(1 + i * half, 4, half, 7) })));
  const columns = groups.length > 0 ? groups.slice(0, 2) : shape.columns.slice(0, 8);
  figures.push({
    kind: 'table',
    name: 'table',
    title: 'In detail',
    columns: columns.map((one) => one.name),
    ...(groups.length > 0 ? { measures: names.slice(0, 6), totals: true } : {}),
    at: place(1, charts.length > 0 ? 11 : 4, 12, 9),
  });
  const keyed = shape.columns.filter((one) => one.key !== undefined && groups.includes(one)).slice(0, 3);
  return {
    format: reportFormat,
    name: `${shape.name}-report`.slice(0, 60),
    title: options.title,
    datasets: { [shape.name]: {} },
    parameters: [
      ...(date ? [{ name: 'period', label: 'Period', type: 'date' as const, column: date.name, period: true }] : []),
      ...keyed.map((one) => ({
        name: one.name,
        label: columnLabel(one),
        type: one.type,
        key: one.key!,
        many: true,
        allowed: { column: one.name },
      })),
    ],
    measures,
    pages: [{ name: 'overview', title: 'Overview', figures }],
  };
}
