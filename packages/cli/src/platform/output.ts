import type { SkippedRows } from '@underbell/core/check';
import Table from 'cli-table3';
import type { Command } from 'commander';

const isUncoloured = () => !process.stdout.isTTY || process.env['NO_COLOR'] !== undefined;

/** Faint on a terminal, plain elsewhere. */
export function faint(text: string): string {
  return isUncoloured() ? text : `\u001b[2m${text}\u001b[22m`;
}

export function strong(text: string): string {
  return isUncoloured() ? text : `\u001b[1m${text}\u001b[22m`;
}

export interface Column<Row> {
  readonly heading: string;
  readonly cell: (row: Row) => string | number | null | undefined;
  readonly isNumber?: boolean;
}

const controls = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f]/g;

/** Text that came from elsewhere, so that it cannot steer the terminal. */
export const harmless = (text: string): string => text.replace(controls, '\ufffd');

const count = new Intl.NumberFormat('en-GB');
const showCell = (value: string | number | null | undefined) =>
  typeof value === 'number' ? count.format(value) : harmless(value ?? '');

const noLines = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: '  ',
};

/** What `faint` and `strong` write, and nothing else that a terminal would obey. */
const looks = /\u001b\[(?:1|2|22)m|[\u0000-\u0008\u000b-\u001f\u007f-\u009f]/g;

/** Prints a line; whatever came from elsewhere in it cannot steer the terminal. */
export function line(text = ''): void {
  process.stdout.write(`${text.replace(looks, (one) => (one.length > 1 ? one : '\ufffd'))}\n`);
}

/** Prints a table; numbers stand to the right. */
export function table<Row>(rows: readonly Row[], columns: readonly Column<Row>[]): void {
  const made = new Table({
    chars: noLines,
    style: { head: [], border: [], 'padding-left': 0, 'padding-right': 0 },
    head: columns.map((one) => faint(one.heading)),
    colAligns: columns.map((one) => (one.isNumber ? 'right' : 'left')),
  });
  for (const row of rows) made.push(columns.map((one) => showCell(one.cell(row))));
  line(
    made
      .toString()
      .split('\n')
      .map((text) => text.trimEnd())
      .join('\n'),
  );
}

/** Prints the answer as JSON where asked, else as people read it. */
export function show<T>(command: Command, answer: T, forPeople: (answer: T) => void): void {
  if (command.optsWithGlobals<{ json?: boolean }>().json) line(JSON.stringify(answer, null, 2));
  else forPeople(answer);
}

export function wantsJson(command: Command): boolean {
  return command.optsWithGlobals<{ json?: boolean }>().json === true;
}

/** "3 datasets", "1 dataset". */
export function plural(number: number, word: string, several = `${word}s`): string {
  return `${count.format(number)} ${number === 1 ? word : several}`;
}

/** A size in words: `480 kB`, `2.3 MB`. */
export const megabytes = (bytes: number) =>
  bytes < 1e6 ? `${Math.round(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;

/** An instant without its seconds, in UTC, which the `Z` says (RFC 3339); nothing for none. */
export const shortTime = (at: string | null | undefined): string => (at ? `${at.slice(0, 16).replace('T', ' ')}Z` : '');

/** Rows that a table was taken without. */
export function showSkipped({ rows, problems }: SkippedRows): void {
  line(`${plural(rows, 'invalid row')} skipped:`);
  for (const { at, message } of problems) line(`  ${at}: ${message}`);
}
