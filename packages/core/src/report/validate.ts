import { checkShape, toPointer } from '../check/index.ts';
import type { DatasetShape } from '../dataset/index.ts';
import { valueTypeOf } from '../dataset/index.ts';
import { checkFilter, checkMeasure, parseFilter } from '../filter/index.ts';
import { Refusal, isRefusal, suggest, type Problem } from '../refusal/index.ts';
import { gridColumns, type DataFigure, type Figure, type Page, type ReportDefinition } from './definition.ts';
import { datasetNameOf, type FindDataset } from './lookup.ts';
import { reportSchema } from './schema.ts';

/** Words of the viewer's own address, which no parameter may take. */
const reservedNames = ['page', 'where', 'bare', 'choose'];

type Path = readonly (string | number)[];

/** Collects what is wrong with a definition whose shape is right. */
class ReportChecker {
  readonly problems: Problem[] = [];
  readonly #report: ReportDefinition;
  readonly #find: FindDataset;

  constructor(report: ReportDefinition, find: FindDataset) {
    this.#report = report;
    this.#find = find;
  }

  check(): void {
    for (const name of Object.keys(this.#report.datasets)) {
      if (this.#find(name) === undefined) this.#add(['datasets', name], `there is no dataset \`${name}\``);
    }
    this.#checkParameters();
    this.#checkMeasures();
    this.#unique(
      this.#report.pages.map((page) => page.name),
      (index) => ['pages', index, 'name'],
      'page',
    );
    for (const name of Object.keys(this.#report.datasets)) this.#filter(['where'], this.#report.where, name);
    this.#report.pages.forEach((page, index) => this.#checkPage(page, ['pages', index]));
  }

  #add(path: Path, message: string, more: Pick<Problem, 'hint' | 'nearest'> = {}): void {
    this.problems.push({ at: toPointer(path), message, ...more });
  }

  #unique(names: readonly string[], pathOf: (index: number) => Path, what: string): void {
    names.forEach((name, index) => {
      if (names.indexOf(name) < index) this.#add(pathOf(index), `the ${what} \`${name}\` stands here a second time`);
    });
  }

  /** Runs a check of an expression and points its complaint at the path. */
  #expression(path: Path, check: () => void): void {
    try {
      check();
    } catch (error) {
      if (!isRefusal(error)) throw error;
      const { position, hint, nearest } = error.details;
      const place = position ? ` (line ${position.line}, column ${position.column})` : '';
      this.#add(path, `${error.message}${place}`, { hint, nearest });
    }
  }

  #filter(path: Path, text: string | undefined, datasetName: string | undefined): void {
    const dataset = datasetName === undefined ? undefined : this.#find(datasetName);
    if (text === undefined || dataset === undefined) return;
    const types = new Map((this.#report.parameters ?? []).map((one) => [one.name, one.type]));
    this.#expression(path, () => {
      const valuesOf = (source: string, name: string) => {
        if (source !== 'param') return undefined;
        if (!types.has(name))
          throw new Refusal('PARAMETER_UNKNOWN', `no parameter \`${name}\``, suggest(name, types.keys()));
        return [sampleValues[valueTypeOf(types.get(name)!)]];
      };
      checkFilter(parseFilter(text), { dataset, text, valuesOf, today: '2026-01-01', now: 0 });
    });
  }

  #dataset(path: Path, named: string | undefined): DatasetShape | undefined {
    const name = datasetNameOf(this.#report, named);
    if (name === undefined) {
      this.#add(path, 'the report has several datasets; say which one this reads', { hint: 'add `dataset`' });
      return undefined;
    }
    if (this.#report.datasets[name] === undefined) {
      this.#add(
        [...path, 'dataset'],
        `the report does not list a dataset \`${name}\``,
        suggest(name, Object.keys(this.#report.datasets)),
      );
      return undefined;
    }
    return this.#find(name);
  }

  #column(path: Path, dataset: DatasetShape | undefined, name: string): void {
    if (dataset === undefined || dataset.columns.some((one) => one.name === name)) return;
    this.#add(
      path,
      `no column \`${name}\` in \`${dataset.name}\``,
      suggest(
        name,
        dataset.columns.map((one) => one.name),
      ),
    );
  }

  #checkParameters(): void {
    const parameters = this.#report.parameters ?? [];
    this.#unique(
      parameters.map((one) => one.name),
      (index) => ['parameters', index, 'name'],
      'parameter',
    );
    const shapes = Object.keys(this.#report.datasets).flatMap((name) => this.#find(name) ?? []);
    parameters.forEach((parameter, index) => {
      if (reservedNames.includes(parameter.name)) {
        this.#add(['parameters', index, 'name'], `\`${parameter.name}\` already means something in a viewer's address`);
      }
      const columns = shapes.flatMap((shape) => shape.columns);
      const found = columns.filter((one) =>
        parameter.key === undefined ? one.name === parameter.column : one.key === parameter.key,
      );
      const by = parameter.key === undefined ? 'column' : 'key';
      const word = parameter.key ?? parameter.column!;
      if (found.length === 0 && shapes.length > 0) {
        const names = columns.flatMap((one) => (by === 'key' ? (one.key ?? []) : one.name));
        this.#add(
          ['parameters', index, by],
          `no dataset of the report has the ${by} \`${word}\``,
          suggest(word, names),
        );
      }
      const other = found.find((one) => valueTypeOf(one.type) !== valueTypeOf(parameter.type));
      if (other)
        this.#add(
          ['parameters', index, 'type'],
          `the parameter is ${parameter.type}, the column \`${other.name}\` is ${other.type}`,
        );
    });
  }

  #checkMeasures(): void {
    for (const [name, measure] of Object.entries(this.#report.measures)) {
      const dataset = this.#dataset(['measures', name], measure.dataset);
      if (dataset === undefined) continue;
      const { expression: text } = measure;
      this.#expression(['measures', name, 'expression'], () => checkMeasure(parseFilter(text), { dataset, text }));
    }
  }

  #measure(path: Path, figure: DataFigure, name: string): void {
    const measure = this.#report.measures[name];
    if (measure === undefined) {
      this.#add(path, `the report has no measure \`${name}\``, suggest(name, Object.keys(this.#report.measures)));
    } else if (datasetNameOf(this.#report, measure.dataset) !== datasetNameOf(this.#report, figure.dataset)) {
      this.#add(path, `the measure \`${name}\` reads another dataset than the figure`);
    }
  }

  #checkPage(page: Page, path: Path): void {
    for (const name of Object.keys(this.#report.datasets)) this.#filter([...path, 'where'], page.where, name);
    this.#unique(
      page.figures.map((one) => one.name),
      (index) => [...path, 'figures', index, 'name'],
      'figure',
    );
    page.figures.forEach((figure, index) => {
      const at = [...path, 'figures', index];
      this.#checkPlace(page.figures, index, at);
      if (figure.kind !== 'text') this.#checkFigure(figure, at);
    });
  }

  #checkPlace(figures: readonly Figure[], index: number, path: Path): void {
    const { title, at } = figures[index]!;
    if (at.column + at.width - 1 > gridColumns) {
      this.#add([...path, 'at', 'width'], `\`${title}\` reaches past the ${gridColumns} columns of the page`);
    }
    const under = figures.slice(0, index).find((other) => overlaps(other.at, at));
    if (under) this.#add([...path, 'at'], `\`${title}\` lies over \`${under.title}\``);
  }

  #checkFigure(figure: DataFigure, path: Path): void {
    const dataset = this.#dataset(path, figure.dataset);
    this.#filter([...path, 'where'], figure.where, datasetNameOf(this.#report, figure.dataset));
    if (figure.kind === 'number') {
      this.#measure([...path, 'measure'], figure, figure.measure);
      if (figure.beside) this.#measure([...path, 'beside'], figure, figure.beside);
    } else if (figure.kind === 'bar') {
      this.#column([...path, 'by'], dataset, figure.by);
      this.#measure([...path, 'measure'], figure, figure.measure);
    } else if (figure.kind === 'line') {
      this.#column([...path, 'by'], dataset, figure.by);
      const column = dataset?.columns.find((one) => one.name === figure.by);
      if (column && column.type !== 'date')
        this.#add([...path, 'by'], `a line runs along a date; \`${figure.by}\` is ${column.type}`);
      figure.measures.forEach((name, i) => this.#measure([...path, 'measures', i], figure, name));
    } else {
      figure.columns.forEach((name, i) => this.#column([...path, 'columns', i], dataset, name));
      figure.measures?.forEach((name, i) => this.#measure([...path, 'measures', i], figure, name));
      const known = [...figure.columns, ...(figure.measures ?? [])];
      figure.sort?.forEach(({ by }, i) => {
        if (!known.includes(by))
          this.#add([...path, 'sort', i, 'by'], `the table does not show \`${by}\``, suggest(by, known));
      });
    }
  }
}

const sampleValues = {
  text: 'x',
  number: '0',
  boolean: 'true',
  date: '2026-01-01',
  instant: '2026-01-01T00:00:00Z',
} as const;

function overlaps(a: Figure['at'], b: Figure['at']): boolean {
  const apart =
    a.column + a.width <= b.column ||
    b.column + b.width <= a.column ||
    a.row + a.height <= b.row ||
    b.row + b.height <= a.row;
  return !apart;
}

/**
 * Reads a report definition: its shape first, then every name, type and expression against the datasets.
 *
 * @throws {Refusal} `REPORT_INVALID` with one problem per mistake, each with its JSON Pointer
 */
export function validateReport(value: unknown, find: FindDataset): ReportDefinition {
  const report = checkShape<ReportDefinition>(value, reportSchema, {
    code: 'REPORT_INVALID',
    what: 'the report definition',
  });
  const checker = new ReportChecker(report, find);
  checker.check();
  const [first, ...more] = checker.problems;
  if (first === undefined) return report;
  const others = more.length === 0 ? '' : `, and ${more.length} more`;
  throw new Refusal('REPORT_INVALID', `${first.at}: ${first.message}${others}`, {
    pointer: first.at,
    hint: first.hint,
    nearest: first.nearest,
    problems: checker.problems,
  });
}
