import { isDate } from '../dataset/index.ts';
import { Refusal, type Problem } from '../refusal/index.ts';

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
}

/** Which columns of a list say who and where. */
export interface ListColumns {
  readonly id: string;
  readonly address: string;
  readonly activeFrom?: string | undefined;
  readonly activeTo?: string | undefined;
}

/** The part of RFC 5321's Mailbox that mail hosts take without quoting. */
const mailbox =
  /^[A-Za-z0-9.!#$%&'*+/=?^_`{|}~-]{1,64}@(?=.{1,253}$)[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?(?:\.[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?)+$/;

export function isMailAddress(text: string): boolean {
  return mailbox.test(text) && !/^\.|\.\.|\.@/.test(text);
}

/**
 * Makes recipients of a list's rows and names every mistake with its row.
 *
 * @param rows - one record per data row; the first one stands in row 2 of the file
 * @throws {Refusal} `LIST_INVALID`: missing or repeated identities, addresses that are none
 */
export function readRecipients(rows: readonly Readonly<Record<string, string>>[], columns: ListColumns): Recipient[] {
  const problems: Problem[] = [];
  const firstRow = new Map<string, number>();
  const recipients = rows.map((values, index): Recipient => {
    const row = index + 2;
    const id = (values[columns.id] ?? '').trim();
    const address = (values[columns.address] ?? '').trim();
    const dayOf = (role: 'activeFrom' | 'activeTo'): string => {
      const column = columns[role];
      const day = column === undefined ? '' : (values[column] ?? '').trim();
      if (day === '' || isDate(day)) return day;
      problems.push({
        at: `row ${row}, column ${column!}`,
        message: `\`${day.slice(0, 40)}\` is no day`,
        hint: 'a day looks like 2026-11-30',
      });
      return '';
    };
    const earlier = firstRow.get(id);
    if (id === '') problems.push({ at: `row ${row}, column ${columns.id}`, message: 'the recipient has no identity' });
    else if (earlier !== undefined) {
      problems.push({ at: `row ${row}, column ${columns.id}`, message: `\`${id}\` already stands in row ${earlier}` });
    } else firstRow.set(id, row);
    if (!isMailAddress(address)) {
      const message =
        address === '' ? 'the recipient has no address' : `\`${address.slice(0, 80)}\` is not a mail address`;
      problems.push({
        at: `row ${row}, column ${columns.address}`,
        message,
        hint: 'an address looks like name@host.example',
      });
    }
    const days = { activeFrom: dayOf('activeFrom'), activeTo: dayOf('activeTo') };
    if (days.activeFrom && days.activeTo && days.activeFrom > days.activeTo)
      problems.push({
        at: `row ${row}`,
        message: `active from ${days.activeFrom} to ${days.activeTo}, which is never`,
      });
    return {
      id,
      address,
      values,
      ...(days.activeFrom ? { activeFrom: days.activeFrom } : {}),
      ...(days.activeTo ? { activeTo: days.activeTo } : {}),
    };
  });
  if (problems.length === 0) return recipients;
  const [first] = problems;
  throw new Refusal(
    'LIST_INVALID',
    `${first!.at}: ${first!.message}${problems.length > 1 ? `, and ${problems.length - 1} more` : ''}`,
    {
      pointer: first!.at,
      hint: first!.hint,
      problems: problems.slice(0, 100),
    },
  );
}
