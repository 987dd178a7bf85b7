import Joi from 'joi';
import { checkShape, toPointer } from '../check/index.ts';
import { thingName } from '../dataset/index.ts';
import { andMore, Refusal, suggest, type Problem } from '../refusal/index.ts';
import { gridColumns, type GridPlace, type ReportDefinition } from '../report/index.ts';
import { contrast } from '../theme/index.ts';

/** One figure of a report on a board, with its own fixed filter and title. */
export interface BoardFigure {
  readonly name: string;
  /** The figure's own title when left out. */
  readonly title?: string;
  readonly report: string;
  readonly page: string;
  readonly figure: string;
  /** CQL2 text by dataset; fixed for everybody who looks. */
  readonly where?: Readonly<Record<string, string>>;
  readonly parameters?: Readonly<Record<string, string>>;
  readonly at: GridPlace;
}

/** A figure of a host's own, in a frame. */
export interface BoardFrame {
  readonly name: string;
  readonly title: string;
  /** Of a page of an origin that boards may frame. */
  readonly address: string;
  readonly at: GridPlace;
}

/** Colours of a board, as `#rrggbb`. */
export interface BoardTheme {
  readonly background: string;
  readonly figure: string;
  readonly text: string;
}

/** A page that gathers figures from several reports, in the format `underbell-board/1`. */
export interface BoardDefinition {
  readonly format: 'underbell-board/1';
  readonly name: string;
  readonly title: string;
  readonly description?: string;
  readonly theme?: BoardTheme;
  readonly figures: readonly BoardFigure[];
  readonly frames?: readonly BoardFrame[];
}

export const boardFormat = 'underbell-board/1';
/** WCAG 2.2, success criterion 1.4.3. */
export const leastContrast = 4.5;

const thing = Joi.string().pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter').max(60);
const reference = Joi.string().max(63);
const words = Joi.string().trim().min(1).max(200);
const colour = Joi.string().pattern(/^#[0-9a-fA-F]{6}$/, 'a colour such as #10262E');
const place = () =>
  Joi.object({ column: whole(gridColumns), row: whole(200), width: whole(gridColumns), height: whole(40) }).required();
const whole = (most: number) => Joi.number().integer().min(1).max(most).required();

export const boardSchema = Joi.object({
  $schema: Joi.string(),
  format: Joi.string().valid(boardFormat).required(),
  name: thing.required(),
  title: words.required(),
  description: Joi.string().max(2000),
  theme: Joi.object({ background: colour.required(), figure: colour.required(), text: colour.required() }),
  figures: Joi.array()
    .items(
      Joi.object({
        name: thing.required(),
        title: words,
        report: reference.required(),
        page: reference.required(),
        figure: reference.required(),
        where: Joi.object().pattern(Joi.string().max(60), Joi.string().max(16_384)),
        parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
        at: place(),
      }),
    )
    .max(60)
    .required(),
  frames: Joi.array()
    .items(
      Joi.object({
        name: thing.required(),
        title: words.required(),
        address: Joi.string()
          .uri({ scheme: ['https', 'http'] })
          .max(2000)
          .required(),
        at: place(),
      }),
    )
    .max(12)
    .description('web pages of allowed origins, each in a frame'),
}).required();

function themeProblems({ background, figure, text }: BoardTheme): Problem[] {
  const on = { background, figure };
  return Object.entries(on).flatMap(([name, behind]) => {
    const found = contrast(text, behind);
    if (found >= leastContrast) return [];
    const message = `Text on ${name} has a contrast of ${found.toFixed(1)}; the minimum is ${leastContrast}.`;
    return [{ at: '/theme/text', message, hint: 'Use a darker or lighter text colour.' }];
  });
}

/** Where anything on the board stands wrongly: figures first, then frames. */
function placeProblems({ figures, frames = [] }: BoardDefinition): Problem[] {
  const all = [
    ...figures.map((one, i) => ({ ...one, path: ['figures', i] })),
    ...frames.map((one, i) => ({ ...one, path: ['frames', i] })),
  ];
  return all.flatMap(({ name, at, path }, index) => {
    const before = all.slice(0, index);
    const add = (part: string, message: string): Problem => ({ at: toPointer([...path, part]), message });
    return [
      ...(before.some((other) => other.name === name) ? [add('name', `“${name}” is on the board twice.`)] : []),
      ...(at.column + at.width - 1 > gridColumns
        ? [add('at', `It exceeds the ${gridColumns} columns of the board.`)]
        : []),
      ...(before.some((other) => overlaps(other.at, at)) ? [add('at', `“${name}” overlaps another figure.`)] : []),
    ];
  });
}

/** Frames of origins that boards may not show. */
function frameProblems({ frames = [] }: BoardDefinition, origins: readonly string[]): Problem[] {
  return frames.flatMap(({ address }, i) => {
    const { origin } = new URL(address);
    if (origins.includes(origin)) return [];
    return [
      {
        at: toPointer(['frames', i, 'address']),
        message: `${origin} is not an allowed origin.`,
        hint: 'An administrator sets the allowed origins.',
        ...suggest(origin, origins),
      },
    ];
  });
}

function figureProblems(
  board: BoardDefinition,
  index: number,
  find: (report: string) => ReportDefinition | undefined,
  known: readonly string[],
): Problem[] {
  const one = board.figures[index]!;
  const at = (...path: (string | number)[]) => toPointer(['figures', index, ...path]);
  const problems: Problem[] = [];
  const add = (path: string, message: string, more: Partial<Problem> = {}) =>
    problems.push({ at: at(path), message, ...more });
  const report = find(one.report);
  if (!report) {
    add('report', `There is no report “${one.report}”.`, suggest(one.report, known));
    return problems;
  }
  const page = report.pages.find((other) => other.name === one.page);
  if (!page) {
    add(
      'page',
      `Report “${report.name}” has no page “${one.page}”.`,
      suggest(
        one.page,
        report.pages.map((other) => other.name),
      ),
    );
    return problems;
  }
  if (!page.figures.some((other) => other.name === one.figure && other.kind !== 'picker'))
    add(
      'figure',
      `Page “${page.name}” has no figure “${one.figure}”.`,
      suggest(
        one.figure,
        page.figures.map((other) => other.name),
      ),
    );
  const parameters = (report.parameters ?? []).map((other) => other.name);
  for (const name of Object.keys(one.parameters ?? {}))
    if (!parameters.includes(name))
      add('parameters', `Report “${report.name}” has no parameter “${name}”.`, suggest(name, parameters));
  for (const name of Object.keys(one.where ?? {}))
    if (!Object.hasOwn(report.datasets, name))
      add(
        'where',
        `Report “${report.name}” does not use dataset “${name}”.`,
        suggest(name, Object.keys(report.datasets)),
      );
  return problems;
}

export function overlaps(a: GridPlace, b: GridPlace): boolean {
  const apart =
    a.column + a.width <= b.column ||
    b.column + b.width <= a.column ||
    a.row + a.height <= b.row ||
    b.row + b.height <= a.row;
  return !apart;
}

/**
 * Reads a board: its shape first, then every report, page and figure that it names, and whether its text can be read.
 *
 * @param find - reports that its maker may see
 * @param origins - that it may frame
 * @throws {Refusal} `BOARD_INVALID` with one problem per mistake, each with its JSON Pointer
 */
export function validateBoard(
  value: unknown,
  find: (report: string) => ReportDefinition | undefined,
  known: readonly string[],
  origins: readonly string[] = [],
): BoardDefinition {
  const board = checkShape<BoardDefinition>(value, boardSchema, { code: 'BOARD_INVALID', what: 'the board' });
  const problems = [
    ...(board.theme ? themeProblems(board.theme) : []),
    ...placeProblems(board),
    ...frameProblems(board, origins),
    ...board.figures.flatMap((_, index) => figureProblems(board, index, find, known)),
  ];
  const [first, ...more] = problems;
  if (first === undefined) return board;
  throw new Refusal('BOARD_INVALID', `${first.at}: ${first.message}${andMore(more.length)}`, {
    pointer: first.at,
    hint: first.hint,
    nearest: first.nearest,
    problems,
  });
}
