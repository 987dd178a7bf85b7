import type { ListedDataset, LoadedDataset, ShownDataset } from '@underbell/core/dataset';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Command } from 'commander';
import { collect, readPairs } from '../platform/files.ts';
import { faint, line, plural, show, table, wantsJson } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi, callService } from '../platform/service.ts';
import { addFileCommands, columnTable } from './fileCommands.ts';
import { addRefreshCommands } from '../refresh/commands.ts';

/** Puts JSON Lines together to one array, line by line, so that nothing is held. */
async function* asArray(lines: AsyncIterable<Uint8Array>): AsyncGenerator<string> {
  const decoder = new TextDecoder();
  let rest = '';
  let isFirst = true;
  yield '[';
  for await (const chunk of lines) {
    const pieces = (rest + decoder.decode(chunk, { stream: true })).split('\n');
    rest = pieces.pop()!;
    for (const piece of pieces) {
      yield `${isFirst ? '\n' : ',\n'}  ${piece}`;
      isFirst = false;
    }
  }
  yield isFirst ? ']\n' : '\n]\n';
}

async function showRows(name: string, options: { filter?: string; csv?: boolean }, command: Command): Promise<void> {
  const path = `/api/v1/datasets/${encodeURIComponent(name)}/rows`;
  if (options.csv || wantsJson(command)) {
    const answer = await callService('GET', path, {
      query: { where: options.filter, format: options.csv ? 'csv' : 'jsonl' },
    });
    const body = Readable.fromWeb(answer.body as never);
    await pipeline(options.csv ? body : Readable.from(asArray(body)), process.stdout, { end: false });
    return;
  }
  const most = 20;
  const tried = await callApi<{
    rows: number;
    limits: { origin: string; name: string; words: string; rowsLeft?: number }[];
  }>('GET', path.replace(/rows$/, 'count'), { query: { where: options.filter } });
  const answer = await callService('GET', path, { query: { where: options.filter } });
  const rows: Record<string, string | number | boolean | null>[] = [];
  let rest = '';
  const decoder = new TextDecoder();
  for await (const chunk of Readable.fromWeb(answer.body as never) as AsyncIterable<Uint8Array>) {
    const pieces = (rest + decoder.decode(chunk, { stream: true })).split('\n');
    rest = pieces.pop()!;
    rows.push(...pieces.map((piece) => JSON.parse(piece) as (typeof rows)[number]));
    if (rows.length >= most) break;
  }
  const names = Object.keys(rows[0] ?? {});
  const text = (value: unknown) => (value === null || value === undefined ? '' : String(value));
  if (rows.length > 0)
    table(
      rows.slice(0, most),
      names.map((one) => ({
        heading: one,
        cell: (row) => text(row[one]),
        isNumber: typeof rows[0]![one] === 'number',
      })),
    );
  for (const limit of tried.limits)
    line(
      faint(
        `${limit.origin} ${limit.name}: ${limit.words}${limit.rowsLeft === undefined ? '' : ` (${plural(limit.rowsLeft, 'row')} left)`}`,
      ),
    );
  line(
    tried.rows > most
      ? `${plural(tried.rows, 'row')}; the first ${most} are shown, --csv and --json give all`
      : plural(tried.rows, 'row'),
  );
}

/** Notes on columns: the field, its option, and how that is read. */
const noteOptions = [
  ['label', '--label', 'label'],
  ['unit', '--unit', 'unit'],
  ['format', '--format', 'format'],
  ['key', '--shared-key', 'sharedKey'],
  ['sensitivity', '--classification', 'classification'],
  ['guards', '--guards', 'guards'],
] as const;

export function addDatasetCommands(program: Command): void {
  const dataset = program.command('dataset').description('Datasets');
  dataset
    .command('list')
    .description('List datasets')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ datasets: ListedDataset[] }>('GET', '/api/v1/datasets');
      show(command, answer, ({ datasets }) => {
        table(datasets, [
          { heading: 'dataset', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'source', cell: (one) => one.source ?? 'file' },
          { heading: 'columns', cell: (one) => one.columns, isNumber: true },
        ]);
      });
    });
  dataset
    .command('show <name>')
    .description('Show columns and versions')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<ShownDataset>('GET', `/api/v1/datasets/${encodeURIComponent(name)}`);
      show(command, answer, ({ columns, revisions }) => {
        columnTable(columns);
        line();
        table(revisions, [
          { heading: 'version', cell: (one) => one.number, isNumber: true },
          { heading: 'rows', cell: (one) => one.rows, isNumber: true },
          { heading: 'state', cell: (one) => (one.isCurrent ? 'current' : one.state === 'ready' ? 'kept' : one.state) },
          { heading: 'finished', cell: (one) => one.finishedAt },
          { heading: 'error', cell: (one) => one.error },
        ]);
      });
    });
  addFileCommands(dataset);
  dataset
    .command('save <name>')
    .description('Save a dataset defined by SQL')
    .requiredOption('--source <source>', 'data source')
    .requiredOption('--sql <text>', 'query')
    .option('--title <title>', 'title')
    .option('--shared-key <column=key>', 'shared key of a column; repeatable', collect, [])
    .option('--cluster-by <column>', 'store rows in this order; repeatable', collect, [])
    .option('--live', 'query the source directly')
    .option('--force', 'even if dependent items break')
    .action(
      async (
        name: string,
        options: {
          source: string;
          sql: string;
          title?: string;
          sharedKey: string[];
          clusterBy: string[];
          live?: boolean;
          force?: boolean;
        },
        command: Command,
      ) => {
        const columns = options.sharedKey.map((pair) => {
          const [column, key] = pair.split('=');
          if (!column || !key) throw localProblem('INPUT_INVALID', `“${pair}” is not column=key.`, { word: pair });
          return { name: column, key };
        });
        const { source, sql, title, clusterBy: order } = options;
        const loaded = await callApi<LoadedDataset>('PUT', `/api/v1/datasets/${encodeURIComponent(name)}`, {
          query: { force: options.force },
          body: { source, sql, title, order, columns, kind: options.live ? 'live' : 'snapshot' },
        });
        show(command, loaded, (answer) => {
          line(
            options.live
              ? `Dataset “${answer.name}” saved. It queries the source directly.`
              : `Dataset “${answer.name}” saved as version ${answer.revision}: ${plural(answer.rows, 'row')}.`,
          );
          columnTable(answer.columns);
        });
      },
    );
  dataset
    .command('refresh <name>')
    .description('Refresh from the data source')
    .option('--force', 'even if dependent items break')
    .action(async (name: string, options: { force?: boolean }, command: Command) => {
      const loaded = await callApi<Pick<LoadedDataset, 'revision' | 'rows'>>(
        'POST',
        `/api/v1/datasets/${encodeURIComponent(name)}/refresh`,
        { query: { force: options.force } },
      );
      show(command, loaded, (answer) =>
        line(`Dataset “${name}” refreshed, version ${answer.revision}: ${plural(answer.rows, 'row')}.`),
      );
    });
  dataset
    .command('set-columns <name>')
    .description('Set labels, units and formats; an empty value removes one')
    .option('--label <column=label>', 'label; repeatable', collect, [])
    .option('--unit <column=unit>', 'unit; repeatable', collect, [])
    .option('--format <column=pattern>', 'number or date format, example: #,##0.0; repeatable', collect, [])
    .option('--shared-key <column=key>', 'shared key; repeatable', collect, [])
    .option('--classification <column=class>', 'open, internal or confidential; repeatable', collect, [])
    .option('--guards <column=true>', 'a token that fixes it shows the rows of one user; repeatable', collect, [])
    .option('--force', 'even if dependent items break')
    .action(async (name: string, options: Record<string, unknown>, command: Command) => {
      const path = `/api/v1/datasets/${encodeURIComponent(name)}`;
      const { columns: known } = await callApi<ShownDataset>('GET', path);
      const said = noteOptions.map(
        ([what, flag, option]) => [what, readPairs((options[option] as string[] | undefined) ?? [], flag)] as const,
      );
      const names = [...new Set(said.flatMap(([, pairs]) => Object.keys(pairs)))];
      const columns = names.map((column) => {
        const found: Record<string, unknown> = { name: column, ...known.find((one) => one.name === column) };
        const { sourceType: _, ...before } = found;
        const now = said.flatMap(([what, pairs]) => (column in pairs ? [[what, pairs[column]]] : []));
        const merged: Record<string, unknown> = { ...before, ...Object.fromEntries(now) };
        return Object.fromEntries(
          Object.entries(merged).flatMap(([what, value]) =>
            value === '' ? [] : [[what, what === 'guards' && value === 'true' ? true : value]],
          ),
        );
      });
      const answer = await callApi<Pick<LoadedDataset, 'columns'>>('PUT', `${path}/columns`, {
        query: { force: options['force'] === true ? true : undefined },
        body: { columns },
      });
      show(command, answer, (changed) => columnTable(changed.columns));
    });
  dataset
    .command('rollback <name> <version>')
    .description('Roll back to an earlier version')
    .option('--force', 'even if dependent items break')
    .action(async (name: string, version: string, options: { force?: boolean }, command: Command) => {
      const path = `/api/v1/datasets/${encodeURIComponent(name)}/versions/${encodeURIComponent(version)}/rollback`;
      const answer = await callApi<LoadedDataset>('POST', path, { query: { force: options.force } });
      show(command, answer, ({ revision, rows }) =>
        line(`Dataset “${name}” rolled back to version ${revision}: ${plural(rows, 'row')}.`),
      );
    });
  dataset
    .command('rows <name>')
    .description('Show rows')
    .option('--filter <filter>', 'CQL2 text, example: "quay_id = \'Q017\'"')
    .option('--csv', 'print all rows as CSV')
    .addHelpText(
      'after',
      '\nExample:\n  underbell dataset rows sailings --filter "quay_id = \'Q017\' AND cancelled = TRUE" --csv',
    )
    .action(showRows);
  addRefreshCommands(dataset);
}
