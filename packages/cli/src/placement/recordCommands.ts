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
    line(`record field ${name}: ${type}, beside ${dataset}${column === undefined ? '' : `.${column}`}`);
  if (refused) line(`nothing is shown: ${refused.message} (${refused.code})`);
  for (const { dataset, limits, rows } of datasets) {
    line();
    line(`${dataset}: ${rows ?? 'not told how many'} rows`);
    for (const one of limits)
      line(`  ${one.origin}: ${one.words}${one.rowsLeft === undefined ? '' : `, ${one.rowsLeft} left`}`);
  }
  for (const [field, values] of Object.entries(nearest))
    line(`no row has this ${field}; there is ${values.join(', ')}`);
}

/** A placement beside a record: tried out, and what its host pastes. */
export function addRecordCommands(place: Command): void {
  place
    .command('try <name>')
    .description('what a placement shows you beside a record: its filter in words and the rows left')
    .option('--record <field=value>', 'a field of the record; may be repeated', collect, [])
    .option('--where <dataset=filter>', 'as if it were saved with this CQL2 text; may be repeated', collect, [])
    .action(async (name: string, options: { record: string[]; where: string[] }, command: Command) => {
      const record = readPairs(options.record, '--record');
      if (options.where.length === 0)
        return show(command, await callApi<RecordTry>('POST', `${pathOf(name)}/try`, { body: { record } }), tellTry);
      const saved = await callApi<ShownPlacement>('GET', pathOf(name));
      const { kind, title, report, board, page, figure, firstPage, edition, origins, parameters, look, swaps } = saved;
      const shows = { kind, title, report, board, page, figure, firstPage, edition, origins, parameters, look, swaps };
      const body = { ...shows, name, record, where: readPairs(options.where, '--where') };
      show(command, await callApi<RecordTry>('POST', '/api/v1/placements/try', { body }), tellTry);
    });
  place
    .command('lines <name> [kind]')
    .description(`what a host pastes that has a record beside it: ${kinds.join(', ')}`)
    .action(async (name: string, kind: string | undefined, _options, command: Command) => {
      const { beside } = await callApi<ShownPlacement>('GET', pathOf(name));
      if (!beside)
        throw localProblem('INPUT_INVALID', `\`${name}\` stands beside no record`, {
          hint: "its filter names a field: quay_id = record('quay')",
        });
      const found = kinds.find((one) => one === kind);
      if (kind !== undefined && found === undefined)
        throw localProblem('OPTION_UNKNOWN', `there are no lines \`${kind}\``, { word: kind, hint: kinds.join(', ') });
      show(command, beside.lines, (lines) => {
        for (const one of found === undefined ? kinds : [found]) {
          if (found === undefined) line(`# ${one}`);
          line(lines[one]);
          if (found === undefined) line();
        }
      });
    });
}
