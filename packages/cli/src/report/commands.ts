import type { Command } from 'commander';
import { readJsonFile } from '../platform/files.ts';
import { line, plural, show, table } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

interface ShownEdition {
  readonly number: number;
  readonly publishedAt: string;
  readonly publishedBy: string;
  readonly notes: string;
}

export function addReportCommands(program: Command): void {
  const report = program.command('report').description('published definitions of pages and figures');
  report
    .command('list')
    .description('the reports that you may see')
    .action(async (_options, command: Command) => {
      type Shown = { name: string; title: string; edition: number; publishedAt: string; publishedBy: string };
      const answer = await askService<{ reports: Shown[] }>('GET', '/api/v1/reports');
      show(command, answer, ({ reports }) => {
        table(reports, [
          { heading: 'report', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'edition', cell: (one) => one.edition, isNumber: true },
          { heading: 'published', cell: (one) => one.publishedAt.slice(0, 16).replace('T', ' ') },
          { heading: 'by', cell: (one) => one.publishedBy },
        ]);
      });
    });
  report
    .command('show <name>')
    .description('a report with its editions')
    .action(async (name: string, _options, command: Command) => {
      const answer = await askService<{ title: string; edition: number; editions: ShownEdition[] }>(
        'GET',
        `/api/v1/reports/${encodeURIComponent(name)}`,
      );
      show(command, answer, ({ title, edition, editions }) => {
        line(`${title}, edition ${edition}`);
        table(editions, [
          { heading: 'edition', cell: (one) => one.number, isNumber: true },
          { heading: 'published', cell: (one) => one.publishedAt.slice(0, 16).replace('T', ' ') },
          { heading: 'by', cell: (one) => one.publishedBy },
          { heading: 'notes', cell: (one) => one.notes },
        ]);
      });
    });
  report
    .command('check <file>')
    .description('check a definition without publishing it')
    .action(async (file: string, _options, command: Command) => {
      const answer = await askService<{ name: string; pages: number; figures: number }>(
        'POST',
        '/api/v1/reports/check',
        { body: readJsonFile(file) },
      );
      show(command, answer, ({ name, pages, figures }) =>
        line(`${name} is fine: ${plural(pages, 'page')}, ${plural(figures, 'figure')}.`),
      );
    });
  report
    .command('publish <file>')
    .description('publish a definition as the next edition under its name')
    .option('--notes <text>', 'what is new', '')
    .action(async (file: string, options: { notes: string }, command: Command) => {
      const answer = await askService<{ name: string; edition: number }>('POST', '/api/v1/reports', {
        body: { definition: readJsonFile(file), notes: options.notes },
      });
      show(command, answer, ({ name, edition }) =>
        line(`${name}: edition ${edition} is published and shown everywhere.`),
      );
    });
}
