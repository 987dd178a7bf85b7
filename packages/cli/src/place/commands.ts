import type { Command } from 'commander';
import type { ShownPlacement } from '@underbell/core/place';
import { collect, readPairs } from '../platform/files.ts';
import { line, show, table } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

export function addPlaceCommands(program: Command): void {
  const place = program.command('place').description('placements: where reports are shown');
  place
    .command('list')
    .description('the placements of reports that you may see')
    .option('--report <name>', 'of one report')
    .action(async (options: { report?: string }, command: Command) => {
      const answer = await askService<{ placements: ShownPlacement[] }>('GET', '/api/v1/placements', {
        query: options,
      });
      show(command, answer, ({ placements }) => {
        table(placements, [
          { heading: 'placement', cell: (one) => one.name },
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'report', cell: (one) => one.report },
          { heading: 'page', cell: (one) => one.page ?? 'first' },
          { heading: 'edition', cell: (one) => (one.edition === undefined ? 'current' : `stays with ${one.edition}`) },
          { heading: 'link', cell: (one) => one.link },
        ]);
      });
    });
  place
    .command('show <name>')
    .description('a placement with the lines to paste into a page')
    .action(async (name: string, _options, command: Command) => {
      const found = await askService<ShownPlacement>('GET', `/api/v1/placements/${encodeURIComponent(name)}`);
      show(command, found, (answer) => {
        const edition = answer.edition === undefined ? 'the current edition' : `edition ${answer.edition}`;
        line(`${answer.title}: ${answer.kind}, ${answer.page ?? 'the first page'} of ${answer.report}, ${edition}`);
        if (answer.origins.length > 0) line(`in pages of ${answer.origins.join(', ')}`);
        line();
        line(answer.link);
        line();
        line(answer.snippet);
      });
    });
  place
    .command('add <name>')
    .description('save a placement')
    .requiredOption('--report <name>', 'the report')
    .requiredOption('--title <title>', 'what people read')
    .option('--kind <kind>', 'portal, app or link', 'portal')
    .option('--page <page>', 'the page; the first one when left out')
    .option(
      '--origin <origin>',
      'a host whose pages may frame it, such as https://portal.example; may be repeated',
      collect,
      [],
    )
    .option('--edition <number>', 'stay with this edition; follows the current one when left out')
    .option('--where <dataset=filter>', 'CQL2 text for a dataset; may be repeated', collect, [])
    .option('--param <name=value>', 'fix a parameter; may be repeated', collect, [])
    .action(
      async (
        name: string,
        options: {
          report: string;
          title: string;
          kind: string;
          page?: string;
          edition?: string;
          origin: string[];
          where: string[];
          param: string[];
        },
        command: Command,
      ) => {
        const { report, title, kind, page, edition, origin } = options;
        const body = {
          report,
          title,
          kind,
          page,
          ...(edition === undefined ? {} : { edition: Number(edition) }),
          origins: origin,
          where: readPairs(options.where, '--where'),
          parameters: readPairs(options.param, '--param'),
        };
        const answer = await askService<ShownPlacement>('PUT', `/api/v1/placements/${encodeURIComponent(name)}`, {
          body,
        });
        show(command, answer, (made) => line(made.snippet));
      },
    );
}
