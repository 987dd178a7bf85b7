import { createReadStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import { isDeepStrictEqual } from 'node:util';
import type { PersonViewer } from '@underbell/core/access';
import { readRecipients, type Recipient } from '@underbell/core/burst';
import type { InvalidRowAction, SkippedRows } from '@underbell/core/check';
import {
  dialectToKeep,
  formatValue,
  canonicalCell,
  resolveDialect,
  valueTypeOf,
  type CellDialect,
  type ColumnType,
  type FileDialect,
} from '@underbell/core/dataset';
import type { Cell } from '@underbell/core/filter';
import { Refusal, suggest } from '@underbell/core/refusal';
import {
  attributeNames,
  findGroupRow,
  groupNames,
  listPeople,
  notFound,
  putOwner,
  requireAuthor,
  requireRight,
  visibleNames,
} from '../access/index.ts';
import {
  columnNames,
  examineUpload,
  ownRows,
  readCsv,
  readRows,
  checkQueryLimits,
  rowsQuery,
  uploadFolder,
  type ExaminedFile,
} from '../dataset/index.ts';
import { holdName, remember, type App } from '../platform/index.ts';
import { findList, listLists, listRecipients, putList } from './store.ts';
import type { ListRow } from './models.ts';
import { type ListedList, type LoadedList, type ShownList, type ListOrigin } from '@underbell/core/list';

/**
 * Which columns of a list say who, where, when and how, and what other columns must hold. What is left out stays as it was
 * for a list that is known; an empty text takes it away.
 */
export interface ListRoles {
  /** The address when left out. */
  readonly id?: string;
  readonly address?: string;
  readonly activeFrom?: string;
  readonly activeTo?: string;
  readonly language?: string;
  readonly timeZone?: string;
  readonly format?: string;
  /** Column -> what its cells must be; text where nothing is said. */
  readonly types?: Readonly<Record<string, ColumnType>>;
  /** Rejected when left out, whatever was said before. */
  readonly invalidRows?: InvalidRowAction;
}

/** What holds for a list now: what is said, over what was settled before. */
type ResolvedRoles = ListRoles & { readonly address: string };

function resolvedRoles(known: ListRow | undefined, given: ListRoles): ResolvedRoles {
  const before: ListRoles = known
    ? {
        ...(known.idColumn === known.addressColumn ? {} : { id: known.idColumn }),
        address: known.addressColumn,
        ...(known.activeFromColumn ? { activeFrom: known.activeFromColumn } : {}),
        ...(known.activeToColumn ? { activeTo: known.activeToColumn } : {}),
        ...known.roles,
        types: known.types,
      }
    : {};
  const merged = { ...before, ...given };
  const said = Object.fromEntries(Object.entries(merged).filter(([, column]) => column !== '')) as ListRoles;
  return { ...said, address: said.address ?? 'email' };
}

/** Recipients as they were read, whatever they were read from. */
interface ReadList {
  readonly columns: readonly string[];
  readonly rows: readonly Readonly<Record<string, string>>[];
  /** By which number people know the first row, where there are no headings above it. */
  readonly firstRow?: number;
}

/** @throws {Refusal} `FILE_COLUMN_MISSING`, `FILE_EMPTY`, `LIST_INVALID` */
function recipientsOf(
  { columns, rows, firstRow }: ReadList,
  { types = {}, invalidRows, ...roles }: ResolvedRoles,
  what: string,
): Pick<SaveList, 'recipients' | 'skipped'> {
  const named = Object.entries({ ...roles, id: roles.id ?? roles.address }) as [string, string | undefined][];
  for (const [pointer, column] of [...named, ...Object.keys(types).map((one) => [`types/${one}`, one] as const)]) {
    if (column === undefined || columns.includes(column)) continue;
    throw new Refusal('FILE_COLUMN_MISSING', `${what} has no column “${column}”.`, {
      pointer,
      word: column,
      ...suggest(column, columns),
    });
  }
  if (rows.length === 0) throw new Refusal('FILE_EMPTY', `${what} has no recipients.`);
  return readRecipients(rows, { ...roles, id: roles.id ?? roles.address }, { types, firstRow, invalidRows });
}

interface SaveList {
  readonly name: string;
  readonly roles: ResolvedRoles;
  readonly from: ListOrigin | null;
  readonly dialect?: FileDialect | undefined;
  readonly read: ReadList;
  readonly recipients: readonly Recipient[];
  readonly skipped: SkippedRows | undefined;
  readonly origin: string;
}

/** Stores the next version of a list, whoever may. */
async function saveList(app: App, person: PersonViewer, wish: SaveList): Promise<LoadedList> {
  const { name, roles, from, dialect, read, recipients, skipped = null, origin } = wish;
  const known = await findList(app, name);
  const row = {
    name,
    columns: [...read.columns],
    idColumn: roles.id ?? roles.address,
    addressColumn: roles.address,
    activeFromColumn: roles.activeFrom ?? null,
    activeToColumn: roles.activeTo ?? null,
    roles: {
      ...(roles.language ? { language: roles.language } : {}),
      ...(roles.timeZone ? { timeZone: roles.timeZone } : {}),
      ...(roles.format ? { format: roles.format } : {}),
    },
    types: roles.types ?? {},
    origin: from,
    fileDialect: dialect ?? known?.fileDialect ?? null,
    invalidRows: roles.invalidRows ?? ('reject' as const),
    skipped,
  };
  const version = await app.records.transaction(async () => {
    await holdName(app, { kind: 'list', name }, known !== undefined);
    const made = await putList(app, row, recipients);
    if (!known) await putOwner(app, person, { kind: 'list', name });
    await remember(app, {
      who: person.email,
      what: `version ${made} loaded`,
      thing: `list ${name}`,
      origin,
      after: {
        recipients: recipients.length,
        ...(skipped ? { skippedRows: skipped.rows } : {}),
        ...(from ? { from } : {}),
      },
    });
    return made;
  });
  return { name, version, recipients: recipients.length, columns: read.columns, skipped };
}

async function requireListMaker(app: App, person: PersonViewer, name: string): Promise<void> {
  if (await findList(app, name)) await requireRight(app, person, 'edit', 'list', name);
  else await requireAuthor(app, person, 'list');
}

/** Loads a recipient list from a file as its next version; a file with any mistake changes nothing. */
export async function loadList(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: { name: string; fileName: string; roles: ListRoles; said: FileDialect; origin: string },
) {
  const { name, fileName, said, origin } = options;
  await requireListMaker(app, person, name);
  const known = await findList(app, name);
  const roles = resolvedRoles(known, options.roles);
  const file = await examineUpload(app, upload, { fileName, said, known: known?.fileDialect ?? {} });
  try {
    const { read, dialect } = await readListFile(file, { ...known?.fileDialect, ...said }, roles);
    const found = recipientsOf(read, roles, 'The file');
    const kept = dialectToKeep(known?.fileDialect, dialect);
    const saved = await saveList(app, person, { name, roles, from: null, dialect: kept, read, ...found, origin });
    return { ...saved, dialect };
  } finally {
    await rm(uploadFolder(app, file.id), { recursive: true, force: true });
  }
}

/** A list is held in memory as a whole. */
const maxListCells = 5_000_000;

/** Reads a file with its typed cells as they are written everywhere else. @throws {Refusal} `FILE_AMBIGUOUS` */
async function readListFile(
  file: Pick<ExaminedFile, 'path' | 'columns' | 'dialect'>,
  { decimal, dates }: CellDialect,
  { types = {}, activeFrom, activeTo }: ResolvedRoles,
): Promise<{ read: ReadList; dialect: FileDialect }> {
  const typed = new Map<string, ColumnType>(Object.entries(types));
  for (const column of [activeFrom, activeTo]) if (column !== undefined) typed.set(column, 'date');
  const said = { ...(decimal ? { decimal } : {}), ...(dates ? { dates } : {}) };
  const dialect = { ...file.dialect, ...resolveDialect(file.columns, said, typed) };
  checkQueryLimits(file.columns, typed, dialect);
  let columns: string[] = [];
  const rows: Record<string, string>[] = [];
  const plain = (cell: string, column: string) => {
    const type = typed.get(column);
    // What does not fit is refused with its place, where the whole list is looked at.
    return type === undefined ? cell : (canonicalCell(cell, type, dialect) ?? cell);
  };
  await readCsv(
    createReadStream(file.path),
    (cells, index) => {
      if (index === 0) columns = columnNames(cells);
      else rows.push(Object.fromEntries(columns.map((column, i) => [column, plain(cells[i]!, column)])));
    },
    { maxCells: maxListCells, separator: dialect.separator ?? 'comma' },
  );
  return { read: { columns, rows }, dialect };
}

/** What a program that knows the recipients sends: a record for each, of plain values. */
export type GivenRow = Readonly<Record<string, string | number | boolean | null>>;

/** Takes a recipient list from a program, as its next version; a mistake in any row changes nothing. */
export async function giveList(
  app: App,
  person: PersonViewer,
  options: ListRoles & { name: string; rows: readonly GivenRow[]; origin: string },
) {
  const { name, rows: given, origin, ...said } = options;
  await requireListMaker(app, person, name);
  const roles = resolvedRoles(await findList(app, name), said);
  // A record may leave out what it has no value for.
  const headings = [...new Set(given.flatMap((row) => Object.keys(row)))];
  const columns = columnNames(headings);
  const rows = given.map((row) => Object.fromEntries(headings.map((one, i) => [columns[i]!, String(row[one] ?? '')])));
  const read = { columns, rows, firstRow: 1 };
  return saveList(app, person, { name, roles, from: null, read, ...recipientsOf(read, roles, 'The list'), origin });
}

/** So many recipients a list may have. */
const mostRecipients = 100_000;

/** Reads a list from where it comes from, with the rights of whoever asks. @throws {Refusal} `LIST_INVALID`, `NOT_FOUND`, `NOT_ALLOWED` */
async function readOrigin(app: App, person: PersonViewer, from: ListOrigin): Promise<ReadList> {
  const read = 'dataset' in from ? await readDataset(app, person, from) : await readGroup(app, person, from);
  if (read.rows.length <= mostRecipients) return read;
  throw new Refusal('LIST_INVALID', `A list has at most ${mostRecipients.toLocaleString('en-GB')} recipients.`, {
    hint: 'One row is one recipient: filter the rows, or use a dataset with fewer rows.',
  });
}

async function readDataset(
  app: App,
  person: PersonViewer,
  { dataset, where }: { dataset: string; where?: string },
): Promise<ReadList> {
  const request = await ownRows(app, person, dataset, where);
  const { visible } = request.filter;
  const rows = await readRows(app, request, rowsQuery(visible, mostRecipients + 1));
  const columns = visible.columns.map((one) => one.name);
  const text = (cell: Cell | undefined, i: number) =>
    cell === null || cell === undefined ? '' : formatValue(cell, valueTypeOf(visible.columns[i]!.type));
  return {
    columns,
    rows: rows.map((cells) => Object.fromEntries(columns.map((one, i) => [one, text(cells[i], i)]))),
    firstRow: 1,
  };
}

/** People of a group with their attributes; somebody with several values of `each` has a row for every one. */
async function readGroup(
  app: App,
  person: PersonViewer,
  { group, each }: { group: string; each?: string },
): Promise<ReadList> {
  if (!person.groups.includes(group)) await requireRight(app, person, 'edit', 'list', '*');
  if (!(await findGroupRow(app, { name: group }))) throw notFound('group', group, await groupNames(app));
  const attributes = await attributeNames(app);
  if (each !== undefined && !attributes.includes(each)) throw notFound('attribute', each, attributes);
  const members = (await listPeople(app)).filter((one) => one.groups.includes(group));
  const rows = members.flatMap(({ email, name, attributes: own }) => {
    const values = each === undefined ? [undefined] : (own[each] ?? []);
    return values.map((value) => ({
      ...Object.fromEntries(attributes.map((one) => [one, (own[one] ?? []).join(', ')])),
      email,
      name,
      ...(each === undefined || value === undefined ? {} : { [each]: value, recipient: `${email} ${value}` }),
    }));
  });
  return { columns: [...(each === undefined ? [] : ['recipient']), 'email', 'name', ...attributes], rows, firstRow: 1 };
}

/** Makes a list that is read from a dataset or a group, before every plan and run. */
export async function defineList(
  app: App,
  person: PersonViewer,
  options: ListRoles & { name: string; from: ListOrigin; origin: string },
) {
  const { name, from, origin, ...given } = options;
  await requireListMaker(app, person, name);
  const read = await readOrigin(app, person, from);
  const usual = 'group' in from && from.each !== undefined ? { id: 'recipient', ...given } : given;
  const roles = resolvedRoles(await findList(app, name), usual);
  const found = recipientsOf(read, roles, 'The list');
  return saveList(app, person, { name, roles, from, read, ...found, origin });
}

/** The list as it is now: one that is read from somewhere has a new version when anything in it has changed. */
export async function currentList(app: App, person: PersonViewer, list: ListRow): Promise<ListRow> {
  if (list.origin === null) return list;
  const read = await readOrigin(app, person, list.origin);
  const roles = resolvedRoles(list, { invalidRows: list.invalidRows });
  const found = recipientsOf(read, roles, `List “${list.name}”`);
  const known = await listRecipients(app, list);
  if (isDeepStrictEqual(known, found.recipients) && isDeepStrictEqual(list.skipped, found.skipped ?? null)) return list;
  const { version } = await saveList(app, person, {
    name: list.name,
    roles,
    from: list.origin,
    read,
    ...found,
    origin: 'read anew',
  });
  return { ...list, columns: [...read.columns], version, skipped: found.skipped ?? null };
}

/** A list that a person may see. @throws {Refusal} `NOT_FOUND` */
export async function requireList(app: App, person: PersonViewer, name: string): Promise<ListRow> {
  const list = await findList(app, name);
  if (!list)
    throw notFound(
      'list',
      name,
      await visibleNames(
        app,
        person,
        'list',
        (await listLists(app)).map((one) => one.name),
      ),
    );
  await requireRight(app, person, 'view', 'list', name);
  return list;
}

export async function showList(app: App, person: PersonViewer, name: string): Promise<ShownList<Date>> {
  const list = await requireList(app, person, name);
  return { ...list, recipients: await listRecipients(app, list) };
}

export async function seenLists(app: App, person: PersonViewer): Promise<ListedList<Date>[]> {
  const all = await listLists(app);
  const names = await visibleNames(
    app,
    person,
    'list',
    all.map((one) => one.name),
  );
  return all.filter((one) => names.includes(one.name));
}
