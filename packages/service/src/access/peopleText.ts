import { parse } from 'csv-parse/sync';
import { toFieldName } from '@underbell/core/dataset';
import { Refusal, type Problem } from '@underbell/core/refusal';
import { email as emailSchema } from './schemas.ts';

/** A person as a line of a text names one. */
export interface NamedPerson {
  readonly row: number;
  readonly email: string;
  readonly name: string;
  readonly organisation?: string;
  readonly groups: readonly string[];
  readonly attributes: Readonly<Record<string, readonly string[]>>;
}

export interface ReadPeople {
  readonly people: readonly NamedPerson[];
  /** Lines that name somebody or should. */
  readonly rows: number;
  readonly problems: readonly Problem[];
}

/** So many people are invited at once. */
const mostPeople = 2_000;
const mostLength = 200;
const emailHeadings = ['email', 'e_mail', 'mail', 'email_address'];

/** `kira.arkwell@…` is called Kira Arkwell until somebody says otherwise. */
const nameOf = (email: string) =>
  email
    .split('@')[0]!
    .split(/[._-]+/)
    .filter((part) => part !== '')
    .map((part) => part[0]!.toUpperCase() + part.slice(1))
    .join(' ') || email;

/** Several values in one cell. */
const partsOf = (cell: string) =>
  cell
    .split(/[|;]/)
    .map((one) => one.trim())
    .filter((one) => one !== '');

/** The sign between cells: the one that the first line has most of. */
const delimiterOf = (line: string) =>
  [',', ';', '\t'].reduce((best, sign) => (line.split(sign).length > line.split(best).length ? sign : best));

/** @throws {Refusal} `FILE_MALFORMED` */
function readTable(text: string, delimiter: string): string[][] {
  try {
    return parse(text, { delimiter, relax_column_count: true, skip_empty_lines: true, trim: true });
  } catch (cause) {
    throw new Refusal(
      'FILE_MALFORMED',
      'The text cannot be read as a table.',
      { hint: 'Save it as CSV (UTF-8).' },
      { cause },
    );
  }
}

type FoundPerson = Omit<NamedPerson, 'row'>;

/** `Ada Lund <ada@…>`, an address, or an address and a name beside each other. */
function fromLine(line: string): FoundPerson {
  const [, quoted, inside] = /^"?([^"<]*?)"?\s*<([^>]+)>\s*$/.exec(line) ?? [];
  const cells = line.split(/[,;\t]/).map((one) => one.trim());
  const email = (inside ?? cells.find((one) => one.includes('@')) ?? cells[0]!).trim();
  const name = quoted ?? cells.find((one) => one !== '' && !one.includes('@')) ?? '';
  return { email, name: name.trim() || nameOf(email), groups: [], attributes: {} };
}

/** Rows of people, and by which number their sender knows the first one. */
function readRows(text: string): { found: FoundPerson[]; firstRow: number } {
  const plain = text.replace(/^\ufeff/, '');
  const [first = ''] = plain.split(/\r?\n/, 1);
  const delimiter = delimiterOf(first);
  const headings = first.split(delimiter).map((one) => toFieldName(one.trim().replace(/^"(.*)"$/, '$1')));
  const emailColumn = headings.findIndex((one) => emailHeadings.includes(one));
  if (emailColumn < 0) {
    const lines = plain.split(/\r?\n/).filter((line) => line.trim() !== '');
    return { found: lines.map(fromLine), firstRow: 1 };
  }
  const [, ...rows] = readTable(plain, delimiter);
  return { found: rows.map((cells) => fromCells(headings, cells, cells[emailColumn] ?? '')), firstRow: 2 };
}

/**
 * Reads people out of a text: a table with headings, or one in a line. Of a table `email` is wanted; `name`, `organisation` and
 * `groups` are known, every other column is an attribute. Several values of a cell stand with `|` or `;` between them.
 *
 * @throws {Refusal} `FILE_MALFORMED`, `FILE_EMPTY`, `INPUT_TOO_LARGE`
 */
export function readPeople(text: string): ReadPeople {
  const { found: rows, firstRow } = readRows(text);
  if (rows.length === 0)
    throw new Refusal('FILE_EMPTY', 'The text has no users.', {
      hint: 'Write one user per line, or a table with the headings email, name and groups.',
    });
  if (rows.length > mostPeople)
    throw new Refusal(
      'INPUT_TOO_LARGE',
      `The text has ${rows.length} users; at most ${mostPeople} can be invited at once.`,
      {
        hint: 'Send it in parts.',
      },
    );
  const problems: Problem[] = [];
  const rowOf = new Map<string, number>();
  const people: NamedPerson[] = [];
  rows.forEach((found, index) => {
    const row = index + firstRow;
    const before = problems.length;
    const problem = (message: string, hint?: string) =>
      void problems.push({ at: `row ${row}`, message, ...(hint ? { hint } : {}) });
    const email = found.email.toLowerCase();
    if (email === '') problem('There is no email address.');
    else if (emailSchema.validate(email).error)
      problem(`“${email.slice(0, 80)}” is no email address.`, 'Write it like name@host.example.');
    else if (rowOf.has(email)) problem(`${email} is named in row ${rowOf.get(email)} already.`);
    if (found.name.length > mostLength) problem(`The name is longer than ${mostLength} characters.`);
    if (problems.length > before) return;
    rowOf.set(email, row);
    people.push({ ...found, email, row });
  });
  return { people, rows: rows.length, problems };
}

function fromCells(headings: readonly string[], cells: readonly string[], email: string): FoundPerson {
  const known = new Map<string, string>();
  const attributes: Record<string, string[]> = {};
  headings.forEach((heading, i) => {
    const cell = cells[i] ?? '';
    if (cell === '' || emailHeadings.includes(heading)) return;
    if (['name', 'organisation', 'groups', 'group'].includes(heading)) known.set(heading, cell);
    else attributes[heading] = partsOf(cell);
  });
  const organisation = known.get('organisation');
  return {
    email,
    name: known.get('name') ?? nameOf(email),
    ...(organisation === undefined ? {} : { organisation }),
    groups: partsOf(known.get('groups') ?? known.get('group') ?? ''),
    attributes,
  };
}
