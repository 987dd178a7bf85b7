import type { DatasetColumn, DatasetShape } from '../dataset/index.ts';
import { checkFilter, checkMeasure, parseFilter } from '../filter/index.ts';
import { suggest, type Problem } from '../refusal/index.ts';
import type { Comparison, DataFigure, Figure, ReferenceLine, ReportDefinition } from './definition.ts';
import { planFigure } from './figureQuery.ts';
import { datasetNameOf } from './lookup.ts';
import { answerShape } from './result.ts';
import { measuresIn, parametersIn } from './textSlots.ts';

export type Path = readonly (string | number)[];

/** What the check of a figure needs of the report around it. */
export interface ReportContext {
  readonly report: ReportDefinition;
  add(path: Path, message: string, more?: Pick<Problem, 'hint' | 'nearest'>): void;
  filter(path: Path, text: string | undefined, dataset: string | undefined): void;
  expression(path: Path, check: () => void): void;
  dataset(path: Path, named: string | undefined): DatasetShape | undefined;
}

/** Checks the names, types and rules of one figure. */
export class FigureChecker {
  readonly #context: ReportContext;
  readonly #figure: Figure;
  readonly #path: Path;
  #dataset: DatasetShape | undefined;

  constructor(context: ReportContext, figure: Figure, path: Path) {
    this.#context = context;
    this.#figure = figure;
    this.#path = path;
  }

  check(): void {
    const { report } = this.#context;
    const figure = this.#figure;
    if (figure.kind === 'picker') {
      this.#named(
        ['parameter'],
        figure.parameter,
        (report.parameters ?? []).map((one) => one.name),
        'parameter',
      );
      return;
    }
    if (figure.link)
      this.#named(
        ['link', 'page'],
        figure.link.page,
        report.pages.map((one) => one.name),
        'page',
      );
    if (figure.kind === 'text') {
      for (const name of parametersIn(figure.text))
        this.#named(
          ['text'],
          name,
          (report.parameters ?? []).map((one) => one.name),
          'parameter',
        );
      if (measuresIn(figure.text).length === 0) return;
    }
    this.#dataset = this.#context.dataset(this.#path, figure.dataset);
    this.#context.filter([...this.#path, 'where'], figure.where, datasetNameOf(report, figure.dataset));
    this.#kind(figure);
    if ('colours' in figure) this.#colours(figure);
  }

  #add(path: Path, message: string, more: Pick<Problem, 'hint' | 'nearest'> = {}): void {
    this.#context.add([...this.#path, ...path], message, more);
  }

  #named(path: Path, name: string, known: readonly string[], what: string): void {
    if (!known.includes(name)) this.#add(path, `The report has no ${what} “${name}”.`, suggest(name, known));
  }

  #column(path: Path, name: string | undefined): DatasetColumn | undefined {
    const dataset = this.#dataset;
    if (name === undefined || dataset === undefined) return undefined;
    const found = dataset.columns.find((one) => one.name === name);
    const names = dataset.columns.map((one) => one.name);
    if (!found) this.#add(path, `Dataset “${dataset.name}” has no column “${name}”.`, suggest(name, names));
    return found;
  }

  #columns(path: Path, names: readonly string[] | undefined): void {
    names?.forEach((name, i) => this.#column([...path, i], name));
  }

  #measure(path: Path, name: string | undefined): void {
    const { report } = this.#context;
    if (name === undefined) return;
    const measure = Object.hasOwn(report.measures, name) ? report.measures[name] : undefined;
    const own = (this.#figure as DataFigure).dataset;
    if (measure === undefined) this.#named(path, name, Object.keys(report.measures), 'measure');
    const [read, shown] = [datasetNameOf(report, measure?.dataset), datasetNameOf(report, own)];
    const isListed = [read, shown].every((one) => one !== undefined && Object.hasOwn(report.datasets, one));
    if (measure !== undefined && isListed && read !== shown)
      this.#add(path, `Measure “${name}” uses another dataset than the figure.`);
  }

  #measures(path: Path, names: readonly string[] | undefined): void {
    names?.forEach((name, i) => this.#measure([...path, i], name));
  }

  #date(path: Path, name: string | undefined, why: string): void {
    const column = this.#column(path, name);
    if (column && column.type !== 'date') this.#add(path, `${why} “${name}” is of type ${column.type}.`);
  }

  #incomplete(how: string | undefined, step: string | undefined, what: string): void {
    if (how === undefined || (step !== undefined && step !== 'day')) return;
    this.#add(['incompletePeriods'], `Only periods can be incomplete: set “step” of ${what} to a week or more.`);
  }

  #step(step: string | undefined, by: string): void {
    if (step === undefined) return;
    const column = this.#dataset?.columns.find((one) => one.name === by);
    if (column && column.type !== 'date')
      this.#add(['step'], `Only dates are grouped by ${step}; “${by}” is of type ${column.type}.`);
  }

  #lines(lines: readonly ReferenceLine[] | undefined): void {
    lines?.forEach(({ at }, i) => {
      if (typeof at === 'string') this.#measure(['lines', i, 'at'], at);
    });
  }

  #comparison(compare: Comparison | undefined): void {
    if (compare === undefined) return;
    if (compare.with === 'target') {
      if (typeof compare.target === 'string') this.#measure(['compare', 'target'], compare.target);
      return;
    }
    const periods = (this.#context.report.parameters ?? []).filter((one) => one.period);
    const reaches = periods.some((one) =>
      this.#dataset?.columns.some((column) => (one.key ? column.key === one.key : column.name === one.column)),
    );
    if (this.#dataset && !reaches)
      this.#add(['compare', 'with'], 'A comparison with the previous period needs a period.', {
        hint: 'Declare a period parameter on a date of this dataset.',
      });
  }

  #kind(figure: DataFigure): void {
    switch (figure.kind) {
      case 'number':
        this.#measure(['measure'], figure.measure);
        this.#measure(['beside'], figure.beside);
        this.#comparison(figure.compare);
        if (figure.trend) this.#date(['trend', 'along'], figure.trend.along, 'A trend needs a date.');
        this.#incomplete(figure.incompletePeriods, figure.trend?.step, 'the trend');
        return;
      case 'bar':
        return this.#bar(figure);
      case 'line':
      case 'area':
        this.#date(['by'], figure.by, `A figure of kind “${figure.kind}” needs a date.`);
        this.#incomplete(figure.incompletePeriods, figure.step, 'the figure');
        this.#measures(['measures'], figure.measures);
        return this.#series(figure, figure.measures.length);
      case 'scatter':
        this.#column(['by'], figure.by);
        for (const key of ['x', 'y', 'size'] as const) this.#measure([key], figure[key]);
        return this.#lines(figure.lines);
      case 'table':
        return this.#table(figure);
      case 'crosstab':
        this.#columns(['rows'], figure.rows);
        this.#column(['across'], figure.across);
        this.#step(figure.step, figure.across);
        this.#measure(['measure'], figure.measure);
        if (figure.rows.includes(figure.across)) this.#add(['across'], `“${figure.across}” is already in the rows.`);
        return;
      case 'text':
        measuresIn(figure.text).forEach((name) => this.#measure(['text'], name));
    }
  }

  #series(figure: Extract<DataFigure, { kind: 'bar' | 'line' | 'area' }>, measures: number): void {
    this.#column(['split'], figure.split);
    this.#column(['each'], figure.each);
    this.#lines(figure.lines);
    if (figure.split && figure.each) this.#add(['each'], 'A chart has either series or small charts.');
    if ((figure.split ?? figure.each) && measures > 1)
      this.#add(['measures'], 'A chart with series shows one measure.', {
        hint: 'Keep one measure, or remove the series.',
      });
    if ((figure.split ?? figure.each) === figure.by)
      this.#add([figure.split ? 'split' : 'each'], `“${figure.by}” is already the axis.`);
  }

  #bar(figure: Extract<DataFigure, { kind: 'bar' }>): void {
    this.#column(['by'], figure.by);
    this.#step(figure.step, figure.by);
    this.#incomplete(figure.incompletePeriods, figure.step, 'the figure');
    this.#measure(['measure'], figure.measure);
    this.#comparison(figure.compare);
    this.#columns(['drill'], figure.drill);
    this.#series(figure, 1);
    const isSplit = figure.split !== undefined || figure.each !== undefined;
    if (figure.stack && !figure.split) this.#add(['stack'], 'Only bars with series can be stacked.');
    for (const option of ['others', 'compare', 'limit'] as const)
      if (isSplit && figure[option] !== undefined) this.#add([option], `“${option}” cannot be used with series.`);
    if (figure.others && figure.limit === undefined)
      this.#add(['others'], '“Other” needs a limit.', { hint: 'Add “limit”.' });
  }

  #table(figure: Extract<DataFigure, { kind: 'table' }>): void {
    this.#columns(['columns'], figure.columns);
    this.#measures(['measures'], figure.measures);
    const known = [...figure.columns, ...(figure.measures ?? [])];
    figure.sort?.forEach(({ by }, i) => {
      if (!known.includes(by)) this.#add(['sort', i, 'by'], `The table does not show “${by}”.`, suggest(by, known));
    });
    for (const option of ['totals', 'subtotals'] as const)
      if (figure[option] && !figure.measures?.length)
        this.#add([option], 'Only measures have totals.', { hint: 'Add “measures”.' });
    figure.subtotals?.forEach((name, i) => {
      if (figure.columns[i] !== name)
        this.#add(['subtotals', i], 'Subtotals need the first columns, in their order.', {
          nearest: [figure.columns[i] ?? ''],
        });
    });
    if (figure.subtotals && figure.subtotals.length >= figure.columns.length)
      this.#add(['subtotals'], 'The last column cannot have a subtotal.');
  }

  #colours(figure: Extract<DataFigure, { colours?: unknown }>): void {
    if (!figure.colours || !this.#dataset) return;
    const { report } = this.#context;
    const asked = 'measures' in figure ? (figure.measures ?? []) : 'measure' in figure ? [figure.measure] : [];
    const dataset = this.#dataset;
    const isSound = (name: string) => {
      const measure = report.measures[name];
      if (!measure) return false;
      try {
        checkMeasure(parseFilter(measure.expression), { dataset, text: measure.expression });
        return true;
      } catch {
        // The measure's own problem is told at its place.
        return false;
      }
    };
    if (!asked.every(isSound)) return;
    this.#context.expression([...this.#path, 'colours'], () => {
      const { main } = planFigure(report, figure, dataset);
      const shape = answerShape(main.columns);
      figure.colours!.forEach((rule, i) => {
        const at: Path = [...this.#path, 'colours', i];
        const names = shape.columns.map((one) => one.name);
        this.#context.expression([...at, 'when'], () =>
          checkFilter(parseFilter(rule.when), { dataset: shape, text: rule.when }),
        );
        if (rule.column !== undefined && !names.includes(rule.column))
          this.#context.add(
            [...at, 'column'],
            `The figure does not show “${rule.column}”.`,
            suggest(rule.column, names),
          );
      });
    });
  }
}
