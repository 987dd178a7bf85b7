import type { Command } from 'commander';
import type { ListedBoard } from '@underbell/core/board';
import { readJsonFile } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export function addBoardCommands(program: Command): void {
  const board = program.command('board').description('pages that gather figures from several reports');
  board
    .command('list')
    .description('the boards that you may see')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ boards: ListedBoard[] }>('GET', '/api/v1/boards');
      show(command, answer, ({ boards }) =>
        table(boards, [
          { heading: 'board', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'figures', cell: (one) => one.figures, isNumber: true },
          { heading: 'changed', cell: (one) => shortTime(one.changedAt) },
          { heading: 'by', cell: (one) => one.changedBy },
        ]),
      );
    });
  board
    .command('show <name>')
    .description('a board with its figures')
    .action(async (name: string, _options, command: Command) => {
      type Figure = { name: string; report: string; page: string; figure: string; at: Record<string, number> };
      type Frame = { name: string; address: string; at: Record<string, number> };
      type Shown = { definition: { title: string; figures: Figure[]; frames?: Frame[] }; version: number };
      const answer = await callApi<Shown>('GET', `/api/v1/boards/${encodeURIComponent(name)}`);
      show(command, answer, ({ definition, version }) => {
        line(`${definition.title}, version ${version}`);
        table(
          [...definition.figures, ...(definition.frames ?? [])],
          [
            { heading: 'figure', cell: (one) => one.name },
            {
              heading: 'from',
              cell: (one) => ('address' in one ? one.address : `${one.report} / ${one.page} / ${one.figure}`),
            },
            { heading: 'column', cell: (one) => one.at['column']!, isNumber: true },
            { heading: 'row', cell: (one) => one.at['row']!, isNumber: true },
          ],
        );
      });
    });
  board
    .command('hosts [origin...]')
    .description('the hosts whose pages boards may show in frames; named, they are all that may (for administrators)')
    .option('--none', 'no host at all')
    .action(async (origins: string[], options: { none?: boolean }, command: Command) => {
      const path = '/api/v1/board-frames';
      const isSet = origins.length > 0 || options.none === true;
      const answer = isSet
        ? await callApi<{ origins: string[] }>('PUT', path, { body: { origins } })
        : await callApi<{ origins: string[] }>('GET', path);
      show(command, answer, (one) => line(one.origins.join('\n') || 'Boards frame nothing.'));
    });
  board
    .command('check <file>')
    .description('check a board without saving it')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<{ name: string; figures: number }>('POST', '/api/v1/boards/check', {
        body: readJsonFile(file),
      });
      show(command, answer, ({ name, figures }) => line(`${name} is fine: ${plural(figures, 'figure')}.`));
    });
  board
    .command('save <file>')
    .description('save a board; everywhere that shows it follows')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<{ name: string; version: number }>('PUT', '/api/v1/boards', {
        body: { definition: readJsonFile(file) },
      });
      show(command, answer, ({ name, version }) => line(`${name}: version ${version} is saved.`));
    });
}
