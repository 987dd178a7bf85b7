import type { Command } from 'commander';
import type { ListedReport, CheckedReport, ComparedEditions, ShownReport } from '@underbell/core/report';
import { readJsonFile, writeNewFile } from '../platform/files.ts';
import { faint, line, plural, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export function addReportCommands(program: Command): void {
  const report = program.command('report').description('published definitions of pages and figures');
  report
    .command('list')
    .description('the reports that you may see')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ reports: ListedReport[] }>('GET', '/api/v1/reports');
      show(command, answer, ({ reports }) => {
        table(reports, [
          { heading: 'report', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'edition', cell: (one) => one.edition, isNumber: true },
          { heading: 'published', cell: (one) => shortTime(one.publishedAt) },
          { heading: 'by', cell: (one) => one.publishedBy },
        ]);
      });
    });
  report
    .command('show <name>')
    .description('a report with its editions')
    .action(async (name: string, _options, command: Command) => {
      const answer = await callApi<ShownReport>('GET', `/api/v1/reports/${encodeURIComponent(name)}`);
      show(command, answer, ({ title, edition, editions }) => {
        line(`${title}, edition ${edition}`);
        table(editions, [
          { heading: 'edition', cell: (one) => one.number, isNumber: true },
          { heading: 'published', cell: (one) => shortTime(one.publishedAt) },
          { heading: 'by', cell: (one) => one.publishedBy },
          { heading: 'notes', cell: (one) => one.notes },
        ]);
      });
    });
  report
    .command('check <file>')
    .description('check a definition without publishing it')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<CheckedReport>('POST', '/api/v1/reports/check', { body: readJsonFile(file) });
      show(command, answer, ({ name, pages, figures, breaks = [] }) => {
        line(`${name} is fine: ${plural(pages, 'page')}, ${plural(figures, 'figure')}.`);
        for (const one of breaks) line(`It would break ${one.user}: ${one.what}.`);
      });
    });
  report
    .command('publish <file>')
    .description('publish a definition as the next edition under its name')
    .option('--notes <text>', 'what is new', '')
    .option('--confirm', 'even if it breaks what uses the report')
    .action(async (file: string, options: { notes: string; confirm?: boolean }, command: Command) => {
      const answer = await callApi<{ name: string; edition: number }>('POST', '/api/v1/reports', {
        body: { definition: readJsonFile(file), notes: options.notes, isConfirmed: options.confirm === true },
      });
      show(command, answer, ({ name, edition }) =>
        line(`${name}: edition ${edition} is published and shown everywhere.`),
      );
    });
  report
    .command('start <dataset>')
    .description('write a sensible first definition from a dataset’s columns')
    .option('--to <file>', 'write it there instead of to the terminal')
    .addHelpText('after', '\nExample:\n  underbell report start sailings --to sailings.report.json')
    .action(async (dataset: string, options: { to?: string }, command: Command) => {
      const answer = await callApi<object>('GET', `/api/v1/datasets/${encodeURIComponent(dataset)}/first-report`);
      const text = `${JSON.stringify(answer, null, 2)}\n`;
      if (!options.to) return void process.stdout.write(text);
      // An existing file is somebody's work.
      writeNewFile(options.to, text);
      show(command, answer, () =>
        line(`${options.to!} is written. Publish it: underbell report publish ${options.to!}`),
      );
    });
  addEditionCommands(report);
}

const signs: Readonly<Record<string, string>> = { added: '+', removed: '-', changed: '~' };

function addEditionCommands(report: Command): void {
  const at = (name: string) => `/api/v1/reports/${encodeURIComponent(name)}`;
  report
    .command('compare <name> <from> <to>')
    .description('what differs between two editions, and what the later one would break')
    .action(async (name: string, from: string, to: string, _options, command: Command) => {
      const answer = await callApi<ComparedEditions>('GET', `${at(name)}/compare`, { query: { from, to } });
      show(command, answer, ({ changes, breaks }) => {
        if (changes.length === 0) line('Nothing differs.');
        for (const one of changes) {
          line(`${signs[one.change] ?? ' '} ${one.what} ${one.name}`);
          for (const { option, before, after } of one.details)
            line(faint(`    ${option}: ${before ?? 'nothing'} → ${after ?? 'nothing'}`));
        }
        for (const one of breaks) line(`Edition ${to} breaks ${one.user}: ${one.what}.`);
      });
    });
  report
    .command('roll-back <name> <edition>')
    .description('show another edition again; every place follows')
    .option('--confirm', 'even if it breaks what uses the report')
    .action(async (name: string, edition: string, options: { confirm?: boolean }, command: Command) => {
      const answer = await callApi('POST', `${at(name)}/roll-back`, {
        body: { edition: Number(edition), isConfirmed: options.confirm === true },
      });
      show(command, answer, () => line(`${name}: edition ${edition} is shown everywhere again.`));
    });
  report
    .command('retire <name> <edition>')
    .description('take an edition out of use for good')
    .action(async (name: string, edition: string, _options, command: Command) => {
      const answer = await callApi('POST', `${at(name)}/editions/${encodeURIComponent(edition)}/retire`);
      show(command, answer, () => line(`${name}: edition ${edition} is retired.`));
    });
}
