import { checkShape, toPointer } from '../check/index.ts';
import type { DatasetShape } from '../dataset/index.ts';
import { valueTypeOf } from '../dataset/index.ts';
import { checkFilter, checkMeasure, parseFilter } from '../filter/index.ts';
import { andMore, Refusal, isRefusal, suggest, type Problem } from '../refusal/index.ts';
import { FigureChecker, type Path } from './checkFigure.ts';
import { gridColumns, type Figure, type Page, type Parameter, type ReportDefinition } from './definition.ts';
import { datasetNameOf, type FindDataset } from './lookup.ts';
import { measuresIn, parametersIn } from './textSlots.ts';
import { readParameter } from './parameters.ts';
import { reportSchema } from './schema.ts';

/** Words of the viewer's own address, which no parameter may take. */
const reservedNames = ['page', 'where', 'bare', 'choose', 'drill', 'without'];

/** Collects what is wrong with a definition whose shape is right. */
class ReportChecker {
  readonly problems: Problem[] = [];
  readonly #report: ReportDefinition;
  readonly #find: FindDataset;
  /** Datasets that figures or measures read and the report does not list. */
  readonly #unlisted = new Set<string>();

  constructor(report: ReportDefinition, find: FindDataset) {
    this.#report = report;
    this.#find = find;
  }

  check(): void {
    for (const name of Object.keys(this.#report.datasets)) {
      if (this.#find(name) === undefined) this.#add(['datasets', name], `There is no dataset “${name}”.`);
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
      if (names.indexOf(name) < index) this.#add(pathOf(index), `The ${what} “${name}” is defined twice.`);
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
        const bare = name.replace(/\.(from|to)$/, '');
        if (!types.has(bare))
          throw new Refusal('PARAMETER_UNKNOWN', `There is no parameter “${name}”.`, suggest(name, types.keys()));
        return [sampleValues[valueTypeOf(types.get(bare)!)]];
      };
      checkFilter(parseFilter(text), { dataset, text, valuesOf, today: '2026-01-01', now: 0 });
    });
  }

  #dataset(path: Path, named: string | undefined): DatasetShape | undefined {
    const name = datasetNameOf(this.#report, named);
    if (name === undefined) {
      this.#add(path, 'The report has several datasets.', { hint: 'Specify “dataset”.' });
      return undefined;
    }
    if (this.#report.datasets[name] === undefined) {
      // One wrong name is one mistake, in however many places it stands.
      if (this.#unlisted.has(name)) return undefined;
      this.#unlisted.add(name);
      this.#add(
        [...path, 'dataset'],
        `The report does not list dataset “${name}”.`,
        suggest(name, Object.keys(this.#report.datasets)),
      );
      return undefined;
    }
    return this.#find(name);
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
        this.#add(['parameters', index, 'name'], `“${parameter.name}” is reserved in URLs of reports.`);
      }
      const columns = shapes.flatMap((shape) => shape.columns);
      const found = columns.filter((one) =>
        parameter.key === undefined ? one.name === parameter.column : one.key === parameter.key,
      );
      const by = parameter.key === undefined ? 'column' : 'key';
      const word = parameter.key ?? parameter.column!;
      // What an unknown dataset has, nobody can say; that it is unknown was said.
      const isWhole = shapes.length === Object.keys(this.#report.datasets).length;
      if (found.length === 0 && shapes.length > 0 && isWhole) {
        const names = columns.flatMap((one) => (by === 'key' ? (one.key ?? []) : one.name));
        this.#add(['parameters', index, by], `No dataset of the report has the ${by} “${word}”.`, suggest(word, names));
      }
      const other = found.find((one) => valueTypeOf(one.type) !== valueTypeOf(parameter.type));
      if (other)
        this.#add(
          ['parameters', index, 'type'],
          `The parameter has type ${parameter.type}, column “${other.name}” has type ${other.type}.`,
        );
      this.#checkChoice(parameter, ['parameters', index]);
    });
  }

  /** What may be chosen, and what stands before anything is. */
  #checkChoice(parameter: Parameter, path: Path): void {
    const { allowed, name, type } = parameter;
    if (parameter.period && type !== 'date')
      this.#add([...path, 'period'], `A period needs dates; “${name}” is of type ${type}.`);
    if (parameter.period && parameter.many) this.#add([...path, 'many'], 'A period is a single range of days.');
    if (parameter.default !== undefined) {
      const texts = typeof parameter.default === 'string' ? [parameter.default] : parameter.default;
      this.#expression([...path, 'default'], () => readParameter(parameter, texts, '2026-01-01'));
    }
    if (allowed === undefined || Array.isArray(allowed)) return;
    const from = allowed as Exclude<typeof allowed, readonly string[]>;
    const dataset = this.#dataset([...path, 'allowed'], from.dataset);
    for (const key of ['column', 'shown'] as const) {
      const word = from[key];
      const names = dataset?.columns.map((one) => one.name) ?? [];
      if (word !== undefined && dataset && !names.includes(word))
        this.#add(
          [...path, 'allowed', key],
          `Dataset “${dataset.name}” has no column “${word}”.`,
          suggest(word, names),
        );
    }
    const others = (this.#report.parameters ?? []).map((one) => one.name).filter((one) => one !== name);
    from.within?.forEach((word, index) => {
      if (!others.includes(word))
        this.#add(
          [...path, 'allowed', 'within', index],
          `There is no other parameter “${word}”.`,
          suggest(word, others),
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

  /** Headers and footers stand beside no figure: they show parameters alone. */
  #checkPrint({ print }: Page, path: Path): void {
    const known = (this.#report.parameters ?? []).map((one) => one.name);
    for (const place of ['header', 'footer'] as const) {
      const text = print?.[place] ?? '';
      for (const name of parametersIn(text))
        if (!known.includes(name))
          this.#add([...path, 'print', place], `There is no parameter “${name}”.`, suggest(name, known));
      for (const name of measuresIn(text))
        this.#add([...path, 'print', place], `A ${place} can contain parameters only, not “{${name}}”.`, {
          hint: known[0] === undefined ? 'declare a parameter' : `{param:${known[0]}}`,
        });
    }
  }

  #checkPage(page: Page, path: Path): void {
    const read = new Set(
      page.figures.map((one) => ('dataset' in one ? datasetNameOf(this.#report, one.dataset) : undefined)),
    );
    for (const name of Object.keys(this.#report.datasets))
      if (read.has(name)) this.#filter([...path, 'where'], page.where, name);
    this.#checkPrint(page, path);
    this.#unique(
      page.figures.map((one) => one.name),
      (index) => [...path, 'figures', index, 'name'],
      'figure',
    );
    const names = page.figures.map((one) => one.name);
    page.narrow?.forEach((name, index) => {
      if (!names.includes(name))
        this.#add([...path, 'narrow', index], `The page has no figure “${name}”.`, suggest(name, names));
    });
    page.figures.forEach((figure, index) => {
      const at = [...path, 'figures', index];
      this.#checkPlace(page.figures, index, at);
      new FigureChecker(
        {
          report: this.#report,
          add: (...problem) => this.#add(...problem),
          filter: (...checked) => this.#filter(...checked),
          expression: (...checked) => this.#expression(...checked),
          dataset: (...asked) => this.#dataset(...asked),
        },
        figure,
        at,
      ).check();
    });
  }

  #checkPlace(figures: readonly Figure[], index: number, path: Path): void {
    const { title, at } = figures[index]!;
    if (at.column + at.width - 1 > gridColumns) {
      this.#add([...path, 'at', 'width'], `“${title}” exceeds the ${gridColumns} columns of the page.`);
    }
    const under = figures.slice(0, index).find((other) => overlaps(other.at, at));
    if (under) this.#add([...path, 'at'], `“${title}” overlaps “${under.title}”.`);
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
  throw new Refusal('REPORT_INVALID', `${first.at}: ${first.message}${andMore(more.length)}`, {
    pointer: first.at,
    hint: first.hint,
    nearest: first.nearest,
    problems: checker.problems,
  });
}
