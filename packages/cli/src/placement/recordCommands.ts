import type { Command } from 'commander';
import type { Snippets, ShownPlacement } from '@underbell/core/placement';
import type { RecordTry } from '@underbell/core/preview';
import { collect, readPairs } from '../platform/files.ts';
import { line, show } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/placements/${encodeURIComponent(name)}`;
const kinds = ['element', 'frame', 'node', 'curl', 'exchange'] as const satisfies readonly (keyof Snippets)[];

function tellTry({ fields, datasets, refused, nearest }: RecordTry): void {
  for (const { name, type, dataset, column } of fields)
    line(`record field ${name}: ${type}, compared with ${dataset}${column === undefined ? '' : `.${column}`}`);
  if (refused) line(`no data: ${refused.message} (${refused.code})`);
  for (const { dataset, limits, rows } of datasets) {
    line();
    line(`${dataset}: ${rows ?? 'unknown number of'} rows`);
    for (const one of limits)
      line(`  ${one.origin}: ${one.words}${one.rowsLeft === undefined ? '' : `, ${one.rowsLeft} left`}`);
  }
  for (const [field, values] of Object.entries(nearest))
    line(`No row has this ${field}. Similar values: ${values.join(', ')}`);
}

/** Tests of a placement with a record, and snippets for its host page. */
export function addRecordCommands(placement: Command): void {
  placement
    .command('test <name>')
    .description('Test a placement with a record')
    .option('--record <field=value>', 'field of the record; repeatable', collect, [])
    .option('--filter <dataset=filter>', 'CQL2 filter to test instead of the saved one; repeatable', collect, [])
    .action(async (name: string, options: { record: string[]; filter: string[] }, command: Command) => {
      const record = readPairs(options.record, '--record');
      if (options.filter.length === 0)
        return show(command, await callApi<RecordTry>('POST', `${pathOf(name)}/test`, { body: { record } }), tellTry);
      const saved = await callApi<ShownPlacement>('GET', pathOf(name));
      const { kind, title, report, board, page, figure, firstPage, edition, origins, parameters, look, swaps } = saved;
      const shows = { kind, title, report, board, page, figure, firstPage, edition, origins, parameters, look, swaps };
      const body = { ...shows, name, record, where: readPairs(options.filter, '--filter') };
      show(command, await callApi<RecordTry>('POST', '/api/v1/placements/test', { body }), tellTry);
    });
  placement
    .command('snippets <name> [type]')
    .description(`Print the snippets for a host page (${kinds.join(', ')})`)
    .action(async (name: string, kind: string | undefined, _options, command: Command) => {
      const { beside } = await callApi<ShownPlacement>('GET', pathOf(name));
      if (!beside)
        throw localProblem('INPUT_INVALID', `The filters of placement “${name}” use no record.`, {
          hint: "Add a filter such as quay_id = record('quay').",
        });
      const found = kinds.find((one) => one === kind);
      if (kind !== undefined && found === undefined)
        throw localProblem('OPTION_UNKNOWN', `“${kind}” is not a type of snippet.`, {
          word: kind,
          hint: kinds.join(', '),
        });
      show(command, beside.lines, (lines) => {
        for (const one of found === undefined ? kinds : [found]) {
          if (found === undefined) line(`# ${one}`);
          line(lines[one]);
          if (found === undefined) line();
        }
      });
    });
}
