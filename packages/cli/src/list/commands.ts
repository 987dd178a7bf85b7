import type { ListedList, LoadedList, ShownList } from '@underbell/core/list';
import { basename } from 'node:path';
import type { Command } from 'commander';
import { addFileDialect } from '../dataset/fileCommands.ts';
import { collect, readJsonFile, readPairs } from '../platform/files.ts';
import { line, plural, shortTime, show, showSkipped, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

interface ListOptions {
  readonly name: string;
  readonly id?: string;
  readonly address?: string;
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
  readonly where?: string;
  readonly group?: string;
  readonly each?: string;
}

function showLoaded(command: Command, name: string, loaded: LoadedList): void {
  show(command, loaded, ({ version, recipients, skipped }) => {
    line(`${name}, version ${version}: ${plural(recipients, 'recipient')}`);
    if (skipped) showSkipped(skipped);
  });
}

/** `joined=date` of the command line as the service takes it. */
const typesOf = (types: readonly string[]) => (types.length === 0 ? {} : { types: readPairs(types, '--type') });

export function addListCommands(program: Command): void {
  const list = program.command('list').description('recipient lists');
  const loading = list
    .command('load <file>')
    .description('load a recipient list from CSV, a workbook, JSON Lines or JSON records as its next version')
    .requiredOption('--name <name>', 'the list, made when it is new')
    .addHelpText('after', '\nExample:\n  underbell list load managers.csv --name quay-managers --id quay')
    .action(async (file: string, options: ListOptions, command: Command) => {
      const { name, type: types, skipInvalidRows, ...given } = options;
      const roles = { ...given, ...(skipInvalidRows ? { invalidRows: 'skip' } : {}) };
      const list = `/api/v1/lists/${encodeURIComponent(name)}`;
      if (/\.json$/i.test(file)) {
        const body = { ...roles, ...typesOf(types), rows: readJsonFile(file) };
        return showLoaded(command, name, await callApi<LoadedList>('PUT', `${list}/rows`, { body }));
      }
      const colons = Object.entries(readPairs(types, '--type')).map((pair) => pair.join(':'));
      const query = { ...roles, file: basename(file), ...(colons.length > 0 ? { types: colons.join(',') } : {}) };
      const sent = { path: file, type: 'application/octet-stream' };
      showLoaded(command, name, await callApi<LoadedList>('PUT', list, { query, file: sent }));
    });
  const reading = list
    .command('read')
    .description('read a recipient list from a dataset or a group, before every plan and run')
    .requiredOption('--name <name>', 'the list, made when it is new')
    .option('--dataset <dataset>', 'one row of it is one recipient')
    .option('--where <filter>', 'which rows of it, in CQL2')
    .option('--group <group>', 'one person of it is one recipient, with their attributes as columns')
    .option('--each <attribute>', 'a copy for each value of this attribute, where somebody has several')
    .addHelpText(
      'after',
      '\nExamples:\n  underbell list read --name managers --dataset staff --where "role = \'manager\'" --id quay\n  underbell list read --name leads --group "District leads" --each district',
    )
    .action(async (options: ReadOptions, command: Command) => {
      const { name, dataset, where, group, each, type, skipInvalidRows, ...given } = options;
      const roles = { ...given, ...(skipInvalidRows ? { invalidRows: 'skip' } : {}) };
      if ((dataset === undefined) === (group === undefined))
        throw localProblem('INPUT_INVALID', 'say --dataset or --group, one of them');
      const from = dataset === undefined ? { group, each } : { dataset, where };
      const path = `/api/v1/lists/${encodeURIComponent(name)}/origin`;
      showLoaded(command, name, await callApi<LoadedList>('PUT', path, { body: { ...roles, ...typesOf(type), from } }));
    });
  addFileDialect(loading);
  for (const one of [loading, reading])
    one
      .addHelpText('after', '\nWhat is left out stays as it was; an empty text, such as --active-to "", takes it away.')
      .option('--id <column>', 'the column that names a recipient; the address when left out')
      .option('--address <column>', 'the column with the mail address; email when nothing was ever said')
      .option('--active-from <column>', 'the column with the first day on which copies go to them')
      .option('--active-to <column>', 'the column with the last day')
      .option('--language <column>', 'the column with the language of a copy, such as de or en-GB')
      .option('--time-zone <column>', 'the column with the time zone of a copy, such as Europe/Athens')
      .option('--format <column>', 'the column with the formats that a recipient gets')
      .option('--type <column=type>', 'what the cells of a column must be; may be repeated', collect, [])
      .option('--skip-invalid-rows', 'load the list without its invalid rows, and print them');
  list
    .command('list')
    .description('the lists that you may see')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ lists: ListedList[] }>('GET', '/api/v1/lists');
      show(command, answer, ({ lists }) => {
        table(lists, [
          { heading: 'list', cell: (one) => one.name },
          { heading: 'version', cell: (one) => one.version, isNumber: true },
          { heading: 'recipients', cell: (one) => one.recipients, isNumber: true },
          { heading: 'loaded', cell: (one) => shortTime(one.loadedAt) },
        ]);
      });
    });
  list
    .command('show <name>')
    .description('the recipients of a list')
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
