import { fitsType, isDate, type ColumnType } from '../dataset/index.ts';
import { settleInvalidRows, type InvalidRowAction, type SkippedRows } from '../check/index.ts';
import { isTimeZone } from '../format/index.ts';
import { suggest } from '../refusal/index.ts';
import { copyFormats, type CopyFormat } from './definition.ts';
import type { Problem } from '../refusal/index.ts';

/** One row of a recipient list. */
export interface Recipient {
  /** Unique in the list; what the ledger counts copies by. */
  readonly id: string;
  readonly address: string;
  /** Every column of the list, raw. */
  readonly values: Readonly<Record<string, string>>;
  /** The first and the last day on which copies go to them, `YYYY-MM-DD`; always when left out. */
  readonly activeFrom?: string;
  readonly activeTo?: string;
  /** BCP 47 tag; the house's when left out. */
  readonly language?: string;
  /** IANA time zone; the house's when left out. */
  readonly timeZone?: string;
  /** Which of a burst's formats they get; all when left out. */
  readonly formats?: readonly CopyFormat[];
}

/** Which columns of a list say who, where, when and how. */
export interface ListColumns {
  readonly id: string;
  readonly address: string;
  readonly activeFrom?: string | undefined;
  readonly activeTo?: string | undefined;
  readonly language?: string | undefined;
  readonly timeZone?: string | undefined;
  /** Formats, several with spaces or commas between them. */
  readonly format?: string | undefined;
}

function isLanguage(text: string): boolean {
  try {
    return Intl.NumberFormat.supportedLocalesOf(text).length > 0;
  } catch {
    return false;
  }
}

/** The part of RFC 5321's Mailbox that mail hosts take without quoting. */
const mailbox =
  /^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@(?=.{1,253}$)[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?(?:\.[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?)+$/;

export function isMailAddress(text: string): boolean {
  return mailbox.test(text) && !/^\.|\.\.|\.@/.test(text);
}

const typeWords: Record<ColumnType, string> = {
  text: 'text',
  integer: 'a whole number',
  number: 'a number',
  boolean: 'true or false',
  date: 'a day, example: 2026-11-30',
  instant: 'a timestamp, example: 2026-11-30T08:00:00Z',
};

/** Reads the cells of one row that say something about its recipient; what is wrong goes to `problem`. */
class RowReader {
  readonly #values: Readonly<Record<string, string>>;
  readonly #columns: ListColumns;
  readonly #problem: (column: string, message: string, more?: Partial<Problem>) => void;

  constructor(
    values: Readonly<Record<string, string>>,
    columns: ListColumns,
    problem: (column: string, message: string, more?: Partial<Problem>) => void,
  ) {
    this.#values = values;
    this.#columns = columns;
    this.#problem = problem;
  }

  /** The text of a role that fits; nothing where it is empty or wrong. */
  text(role: keyof ListColumns, fits: (text: string) => boolean, what: string, hint: string): string | undefined {
    const column = this.#columns[role];
    const text = column === undefined ? '' : (this.#values[column] ?? '').trim();
    if (text === '') return undefined;
    if (fits(text)) return text;
    this.#problem(column!, `“${text.slice(0, 40)}” is not a ${what}.`, { hint });
    return undefined;
  }

  formats(): CopyFormat[] | undefined {
    const column = this.#columns.format;
    const words = column === undefined ? [] : (this.#values[column] ?? '').split(/[\s,;]+/).filter((one) => one !== '');
    const unknown = words.find((one) => !(copyFormats as readonly string[]).includes(one.toLowerCase()));
    if (unknown !== undefined) {
      const { hint } = suggest(unknown, copyFormats);
      this.#problem(column!, `“${unknown.slice(0, 40)}” is not a format.`, hint ? { hint } : {});
      return undefined;
    }
    return words.length === 0 ? undefined : [...new Set(words.map((one) => one.toLowerCase() as CopyFormat))];
  }

  types(types: Readonly<Record<string, ColumnType>>): void {
    for (const [column, type] of Object.entries(types)) {
      const text = (this.#values[column] ?? '').trim();
      if (text !== '' && !fitsType(text, type))
        this.#problem(column, `“${text.slice(0, 40)}” is not ${typeWords[type]}.`);
    }
  }
}

export interface ReadRecipientsOptions {
  /** Column -> what its cells must be, empty ones apart; text where nothing is said. */
  readonly types?: Readonly<Record<string, ColumnType>>;
  /** The number by which people know the first row: 2 in a file, below its headings. */
  readonly firstRow?: number | undefined;
  readonly invalidRows?: InvalidRowAction | undefined;
}

/**
 * Makes recipients of a list's rows and names every mistake with its row.
 *
 * @param rows - one record per data row
 * @throws {Refusal} `LIST_INVALID`: missing or repeated identities, addresses that are none, cells of the wrong type; also where
 *   invalid rows are skipped and no other is left
 */
export function readRecipients(
  rows: readonly Readonly<Record<string, string>>[],
  columns: ListColumns,
  { types = {}, firstRow = 2, invalidRows = 'reject' }: ReadRecipientsOptions = {},
): { recipients: Recipient[]; skipped: SkippedRows | undefined } {
  const problems: Problem[] = [];
  const rowOf = new Map<string, number>();
  const recipients: Recipient[] = [];
  rows.forEach((values, index) => {
    const before = problems.length;
    const row = index + firstRow;
    const recipient = readRecipient(values, columns, { types, row, rowOf, problems });
    if (problems.length > before) return;
    recipients.push(recipient);
  });
  const counts = { all: rows.length, valid: recipients.length };
  return { recipients, skipped: settleInvalidRows('LIST_INVALID', counts, problems, invalidRows) };
}

interface RowTask {
  readonly types: Readonly<Record<string, ColumnType>>;
  readonly row: number;
  /** Identity -> row of those before it that are valid. */
  readonly rowOf: Map<string, number>;
  readonly problems: Problem[];
}

function readRecipient(
  values: Readonly<Record<string, string>>,
  columns: ListColumns,
  { types, row, rowOf, problems }: RowTask,
): Recipient {
  const before = problems.length;
  const problem = (column: string, message: string, more: Partial<Problem> = {}) =>
    void problems.push({ at: `row ${row}, column ${column}`, message, ...more });
  const reader = new RowReader(values, columns, problem);
  const id = (values[columns.id] ?? '').trim();
  const address = (values[columns.address] ?? '').trim();
  const earlier = rowOf.get(id);
  if (id === '') problem(columns.id, 'The recipient column is empty.');
  else if (earlier !== undefined) problem(columns.id, `“${id}” is already in row ${earlier}.`);
  if (!isMailAddress(address))
    problem(
      columns.address,
      address === '' ? 'The email is empty.' : `“${address.slice(0, 80)}” is not an email address.`,
      { hint: 'Example: name@host.example' },
    );
  const day = (role: 'activeFrom' | 'activeTo') => reader.text(role, isDate, 'day', 'Example: 2026-11-30');
  const [activeFrom, activeTo] = [day('activeFrom'), day('activeTo')];
  if (activeFrom && activeTo && activeFrom > activeTo)
    problems.push({ at: `row ${row}`, message: `The last day ${activeTo} is before the first day ${activeFrom}.` });
  const language = reader.text('language', isLanguage, 'language', 'Example: en-GB, de or el-GR');
  const timeZone = reader.text('timeZone', isTimeZone, 'time zone', 'Example: Europe/Athens');
  const formats = reader.formats();
  reader.types(types);
  if (problems.length === before) rowOf.set(id, row);
  return {
    id,
    address,
    values,
    ...(activeFrom ? { activeFrom } : {}),
    ...(activeTo ? { activeTo } : {}),
    ...(language ? { language } : {}),
    ...(timeZone ? { timeZone } : {}),
    ...(formats ? { formats } : {}),
  };
}
