import type { ListedList, LoadedList, ShownList } from '@underbell/core/list';
import { basename } from 'node:path';
import type { Command } from 'commander';
import { addFileDialect, type DialectOptions } from '../dataset/fileCommands.ts';
import { collect, readJsonFile, readPairs } from '../platform/files.ts';
import { line, plural, shortTime, show, showSkipped, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

interface ListOptions {
  readonly name: string;
  readonly id?: string;
  readonly email?: string;
  readonly activeFrom?: string;
  readonly activeTo?: string;
  readonly language?: string;
  readonly timeZone?: string;
  readonly format?: string;
  readonly type: readonly string[];
  readonly skipInvalidRows?: boolean;
}

interface ReadOptions extends ListOptions {
  readonly dataset?: string;
  readonly filter?: string;
  readonly group?: string;
  readonly copyPer?: string;
}

function showLoaded(command: Command, name: string, loaded: LoadedList): void {
  show(command, loaded, ({ version, recipients, skipped }) => {
    line(`Recipient list “${name}” saved, version ${version}: ${plural(recipients, 'recipient')}.`);
    if (skipped) showSkipped(skipped);
  });
}

/** `joined=date` of the command line as the service takes it. */
const typesOf = (types: readonly string[]) => (types.length === 0 ? {} : { types: readPairs(types, '--type') });

const defined = (values: Readonly<Record<string, string | undefined>>) =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined));

export function addListCommands(program: Command): void {
  const list = program.command('list').description('Recipient lists');
  const uploading = list
    .command('upload <file>')
    .description('Upload a list from CSV, XLSX, JSON Lines or JSON')
    .requiredOption('--name <name>', 'list; created if it does not exist')
    .addHelpText('after', '\nExample:\n  underbell list upload managers.csv --name quay-managers --id quay')
    .action(async (file: string, options: ListOptions & DialectOptions, command: Command) => {
      const { name, type: types, skipInvalidRows, email: address, decimalSeparator, dateOrder, ...given } = options;
      const dialect = { decimal: decimalSeparator, dates: dateOrder };
      const roles = { ...given, ...defined({ address }), ...(skipInvalidRows ? { invalidRows: 'skip' } : {}) };
      const list = `/api/v1/lists/${encodeURIComponent(name)}`;
      if (/\.json$/i.test(file)) {
        const body = { ...roles, ...typesOf(types), rows: readJsonFile(file) };
        return showLoaded(command, name, await callApi<LoadedList>('PUT', `${list}/rows`, { body }));
      }
      const colons = Object.entries(readPairs(types, '--type')).map((pair) => pair.join(':'));
      const query = {
        ...roles,
        ...defined(dialect),
        file: basename(file),
        ...(colons.length > 0 ? { types: colons.join(',') } : {}),
      };
      const sent = { path: file, type: 'application/octet-stream' };
      showLoaded(command, name, await callApi<LoadedList>('PUT', list, { query, file: sent }));
    });
  const reading = list
    .command('save')
    .description('Save a list that is read from a dataset or group')
    .requiredOption('--name <name>', 'list; created if it does not exist')
    .option('--dataset <dataset>', 'dataset: one recipient per row')
    .option('--filter <filter>', 'rows of the dataset (CQL2)')
    .option('--group <group>', 'group: one recipient per user, user attributes as columns')
    .option('--copy-per <attribute>', 'one copy for each value of this user attribute')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell list save --name managers --dataset staff --filter "role = \'manager\'" --id quay\n  underbell list save --name leads --group "District leads" --copy-per district',
    )
    .action(async (options: ReadOptions, command: Command) => {
      const {
        name,
        dataset,
        filter: where,
        group,
        copyPer: each,
        type,
        skipInvalidRows,
        email: address,
        ...given
      } = options;
      const roles = { ...given, ...defined({ address }), ...(skipInvalidRows ? { invalidRows: 'skip' } : {}) };
      if ((dataset === undefined) === (group === undefined))
        throw localProblem('INPUT_INVALID', 'Specify either --dataset or --group.');
      const from = dataset === undefined ? { group, each } : { dataset, where };
      const path = `/api/v1/lists/${encodeURIComponent(name)}/source`;
      showLoaded(command, name, await callApi<LoadedList>('PUT', path, { body: { ...roles, ...typesOf(type), from } }));
    });
  addFileDialect(uploading);
  for (const one of [uploading, reading])
    one
      .addHelpText(
        'after',
        '\nOptions that are left out stay unchanged; an empty text, example: --active-to "", removes one.',
      )
      .option('--id <column>', 'column with the recipient ID; default: the email column')
      .option('--email <column>', 'column with the email address; default: email')
      .option('--active-from <column>', 'column with the first day of delivery')
      .option('--active-to <column>', 'column with the last day of delivery')
      .option('--language <column>', 'column with the language, example: de or en-GB')
      .option('--time-zone <column>', 'column with the time zone, example: Europe/Athens')
      .option('--format <column>', 'column with the formats')
      .option('--type <column=type>', 'type of a column; repeatable', collect, [])
      .option('--skip-invalid-rows', 'skip invalid rows and print them');
  list
    .command('list')
    .description('List recipient lists')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ lists: ListedList[] }>('GET', '/api/v1/lists');
      show(command, answer, ({ lists }) => {
        table(lists, [
          { heading: 'list', cell: (one) => one.name },
          { heading: 'version', cell: (one) => one.version, isNumber: true },
          { heading: 'recipients', cell: (one) => one.recipients, isNumber: true },
          { heading: 'updated', cell: (one) => shortTime(one.loadedAt) },
        ]);
      });
    });
  list
    .command('show <name>')
    .description('Show the recipients of a list')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<ShownList>('GET', `/api/v1/lists/${encodeURIComponent(name)}`);
      show(command, answer, ({ columns, recipients, skipped }) => {
        table(
          recipients,
          columns.map((column) => ({ heading: column, cell: (one) => one.values[column] })),
        );
        if (skipped) showSkipped(skipped);
      });
    });
}
