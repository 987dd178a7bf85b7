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

async function showRows(
  name: string,
  options: { where?: string; csv?: boolean; limit?: string },
  command: Command,
): Promise<void> {
  const path = `/api/v1/datasets/${encodeURIComponent(name)}/rows`;
  if (options.csv || wantsJson(command)) {
    const answer = await callService('GET', path, {
      query: { where: options.where, format: options.csv ? 'csv' : 'jsonl' },
    });
    const body = Readable.fromWeb(answer.body as never);
    await pipeline(options.csv ? body : Readable.from(asArray(body)), process.stdout, { end: false });
    return;
  }
  const most = 20;
  const tried = await callApi<{
    rows: number;
    limits: { origin: string; name: string; words: string; rowsLeft?: number }[];
  }>('GET', path.replace(/rows$/, 'count'), { query: { where: options.where } });
  const answer = await callService('GET', path, { query: { where: options.where } });
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

export function addDatasetCommands(program: Command): void {
  const dataset = program.command('dataset').description('typed tables of rows that reports read');
  dataset
    .command('list')
    .description('the datasets that you may see')
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
    .description('columns and revisions')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<ShownDataset>('GET', `/api/v1/datasets/${encodeURIComponent(name)}`);
      show(command, answer, ({ columns, revisions }) => {
        columnTable(columns);
        line();
        table(revisions, [
          { heading: 'revision', cell: (one) => one.number, isNumber: true },
          { heading: 'rows', cell: (one) => one.rows, isNumber: true },
          { heading: 'state', cell: (one) => (one.isCurrent ? 'current' : one.state === 'ready' ? 'kept' : one.state) },
          { heading: 'finished', cell: (one) => one.finishedAt },
          { heading: 'error', cell: (one) => one.error },
        ]);
      });
    });
  addFileCommands(dataset);
  dataset
    .command('define <name>')
    .description('define a dataset by SQL on a source and load it')
    .requiredOption('--source <source>', 'the source')
    .requiredOption('--sql <text>', 'the query')
    .option('--title <title>', 'what people read')
    .option('--key <column=key>', 'give a column a key; may be repeated', collect, [])
    .option('--order <column>', 'lay the rows out by a column; may be repeated', collect, [])
    .option('--live', 'leave the rows where they are and ask the source each time')
    .option('--force', 'even if it breaks what uses the dataset')
    .action(
      async (
        name: string,
        options: {
          source: string;
          sql: string;
          title?: string;
          key: string[];
          order: string[];
          live?: boolean;
          force?: boolean;
        },
        command: Command,
      ) => {
        const columns = options.key.map((pair) => {
          const [column, key] = pair.split('=');
          if (!column || !key) throw localProblem('INPUT_INVALID', `\`${pair}\` is not column=key`, { word: pair });
          return { name: column, key };
        });
        const { source, sql, title, order } = options;
        const loaded = await callApi<LoadedDataset>('PUT', `/api/v1/datasets/${encodeURIComponent(name)}`, {
          query: { force: options.force },
          body: { source, sql, title, order, columns, kind: options.live ? 'live' : 'snapshot' },
        });
        show(command, loaded, (answer) => {
          line(
            options.live
              ? `${answer.name} is live`
              : `${answer.name}, revision ${answer.revision}: ${plural(answer.rows, 'row')}`,
          );
          columnTable(answer.columns);
        });
      },
    );
  dataset
    .command('refresh <name>')
    .description('load a snapshot anew from its source')
    .option('--force', 'even if it breaks what uses the dataset')
    .action(async (name: string, options: { force?: boolean }, command: Command) => {
      const loaded = await callApi<Pick<LoadedDataset, 'revision' | 'rows'>>(
        'POST',
        `/api/v1/datasets/${encodeURIComponent(name)}/refresh`,
        { query: { force: options.force } },
      );
      show(command, loaded, (answer) => line(`${name}, revision ${answer.revision}: ${plural(answer.rows, 'row')}`));
    });
  dataset
    .command('columns <name>')
    .description('say what columns mean; what is not named stays, an empty value takes it away')
    .option('--label <column=label>', 'what people read; may be repeated', collect, [])
    .option('--unit <column=unit>', 'what its numbers count; may be repeated', collect, [])
    .option('--format <column=pattern>', 'such as #,##0.0; may be repeated', collect, [])
    .option('--key <column=key>', 'the meaning that it shares with other datasets; may be repeated', collect, [])
    .option('--sensitivity <column=how>', 'open, internal or confidential; may be repeated', collect, [])
    .option(
      '--guards <column=true>',
      'a token that fixes it shows no more than one user’s rows; may be repeated',
      collect,
      [],
    )
    .option('--force', 'even if it breaks what uses the dataset')
    .action(async (name: string, options: Record<string, unknown>, command: Command) => {
      const path = `/api/v1/datasets/${encodeURIComponent(name)}`;
      const { columns: known } = await callApi<ShownDataset>('GET', path);
      const said = ['label', 'unit', 'format', 'key', 'sensitivity', 'guards'].map(
        (what) => [what, readPairs((options[what] as string[] | undefined) ?? [], `--${what}`)] as const,
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
    .command('back <name>')
    .description('show an earlier revision again; the next loading goes on from the newest')
    .requiredOption('--revision <number>', 'which, as dataset show lists them')
    .option('--force', 'even if it breaks what uses the dataset')
    .action(async (name: string, options: { revision: string; force?: boolean }, command: Command) => {
      const path = `/api/v1/datasets/${encodeURIComponent(name)}/revisions/${encodeURIComponent(options.revision)}/show`;
      const answer = await callApi<LoadedDataset>('POST', path, { query: { force: options.force } });
      show(command, answer, ({ revision, rows }) => line(`${name} shows revision ${revision}: ${plural(rows, 'row')}`));
    });
  dataset
    .command('rows <name>')
    .description('the rows that you may see')
    .option('--where <filter>', 'CQL2 text, for example "quay_id = \'Q017\'"')
    .option('--csv', 'all rows as CSV')
    .addHelpText(
      'after',
      '\nExample:\n  underbell dataset rows sailings --where "quay_id = \'Q017\' AND cancelled = TRUE" --csv',
    )
    .action(showRows);
  addRefreshCommands(dataset);
}
