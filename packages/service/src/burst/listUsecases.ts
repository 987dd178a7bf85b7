import type { Readable } from 'node:stream';
import type { PersonViewer } from '@underbell/core/access';
import { readRecipients } from '@underbell/core/burst';
import { Refusal, suggest } from '@underbell/core/refusal';
import { noSuch, putGrant, requireMaker, requireRight, visibleNames } from '../access/index.ts';
import { columnNames, readCsv } from '../dataset/index.ts';
import { remember, type App } from '../platform/index.ts';
import { findList, listLists, listRecipients, putList, type ListRow } from './listStore.ts';

/** Loads a recipient list from CSV as its next version; a file with any mistake changes nothing. */
export async function loadList(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: { name: string; id?: string; address: string; origin: string },
) {
  const { name } = options;
  const known = await findList(app, name);
  if (known) await requireRight(app, person, 'edit', 'list', name);
  else await requireMaker(app, person, 'list');
  let columns: string[] = [];
  const rows: Record<string, string>[] = [];
  await readCsv(upload, (cells, index) => {
    if (index === 0) columns = columnNames(cells);
    else rows.push(Object.fromEntries(columns.map((column, i) => [column, cells[i]!])));
  });
  const idColumn = options.id ?? options.address;
  for (const [pointer, column] of [
    ['id', idColumn],
    ['address', options.address],
  ] as const) {
    if (columns.includes(column)) continue;
    throw new Refusal('FILE_COLUMN_MISSING', `the file has no column \`${column}\``, {
      pointer,
      word: column,
      ...suggest(column, columns),
    });
  }
  if (rows.length === 0) throw new Refusal('FILE_EMPTY', 'the list has headings but no recipients');
  const recipients = readRecipients(rows, { id: idColumn, address: options.address });
  const version = await app.records.transaction(async (transaction) => {
    const made = await putList(
      app,
      { name, columns, idColumn, addressColumn: options.address },
      recipients,
      transaction,
    );
    if (!known)
      await putGrant(
        app,
        { holder: { kind: 'person', name: person.email }, thing: { kind: 'list', name }, level: 'own' },
        transaction,
      );
    await remember(
      app,
      {
        who: person.email,
        what: `version ${made} loaded`,
        thing: `list ${name}`,
        origin: options.origin,
        after: { recipients: recipients.length },
      },
      transaction,
    );
    return made;
  });
  return { name, version, recipients: recipients.length, columns };
}

/** A list that a person may see. @throws {Refusal} `NOT_FOUND` */
export async function requireList(app: App, person: PersonViewer, name: string): Promise<ListRow> {
  const list = await findList(app, name);
  if (!list)
    throw noSuch(
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

export async function showList(app: App, person: PersonViewer, name: string) {
  const list = await requireList(app, person, name);
  return { ...list, recipients: await listRecipients(app, list) };
}

export async function seenLists(app: App, person: PersonViewer) {
  const all = await listLists(app);
  const names = await visibleNames(
    app,
    person,
    'list',
    all.map((one) => one.name),
  );
  return all.filter((one) => names.includes(one.name));
}
