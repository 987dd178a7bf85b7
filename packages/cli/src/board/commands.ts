import type { Command } from 'commander';
import type { ListedBoard } from '@underbell/core/board';
import { readJsonFile } from '../platform/files.ts';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export function addBoardCommands(program: Command): void {
  const board = program.command('board').description('Boards: figures from several reports on one page');
  board
    .command('list')
    .description('List boards')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ boards: ListedBoard[] }>('GET', '/api/v1/boards');
      show(command, answer, ({ boards }) =>
        table(boards, [
          { heading: 'board', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'figures', cell: (one) => one.figures, isNumber: true },
          { heading: 'edited', cell: (one) => shortTime(one.changedAt) },
          { heading: 'by', cell: (one) => one.changedBy },
        ]),
      );
    });
  board
    .command('show <name>')
    .description('Show a board and its figures')
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
    .command('allowed-origins [origin...]')
    .description('Show or set origins that boards may frame (administrators)')
    .option('--remove', 'remove all')
    .action(async (origins: string[], options: { remove?: boolean }, command: Command) => {
      const path = '/api/v1/allowed-frame-origins';
      const isSet = origins.length > 0 || options.remove === true;
      const answer = isSet
        ? await callApi<{ origins: string[] }>('PUT', path, { body: { origins } })
        : await callApi<{ origins: string[] }>('GET', path);
      show(command, answer, (one) => line(one.origins.join('\n') || 'None.'));
    });
  board
    .command('check <file>')
    .description('Check a board definition')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<{ name: string; figures: number }>('POST', '/api/v1/boards/check', {
        body: readJsonFile(file),
      });
      show(command, answer, ({ name, figures }) => line(`Board “${name}” is valid: ${plural(figures, 'figure')}.`));
    });
  board
    .command('save <file>')
    .description('Save a board')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<{ name: string; version: number }>('PUT', '/api/v1/boards', {
        body: { definition: readJsonFile(file) },
      });
      show(command, answer, ({ name, version }) => line(`Board “${name}” saved, version ${version}.`));
    });
}
