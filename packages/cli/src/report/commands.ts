import type { Command } from 'commander';
import type { ListedReport, CheckedReport, ComparedEditions, ShownReport } from '@underbell/core/report';
import { readJsonFile, writeNewFile } from '../platform/files.ts';
import { faint, line, plural, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export function addReportCommands(program: Command): void {
  const report = program.command('report').description('Reports');
  report
    .command('list')
    .description('List reports')
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
    .description('Show a report and its editions')
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
    .description('Check a definition')
    .action(async (file: string, _options, command: Command) => {
      const answer = await callApi<CheckedReport>('POST', '/api/v1/reports/check', { body: readJsonFile(file) });
      show(command, answer, ({ name, pages, figures, breaks = [] }) => {
        line(`Report “${name}” is valid: ${plural(pages, 'page')}, ${plural(figures, 'figure')}.`);
        for (const one of breaks) line(`It would break ${one.user}: ${one.what}.`);
      });
    });
  report
    .command('publish <file>')
    .description('Publish a definition as the next edition')
    .option('--notes <text>', 'release notes', '')
    .option('--force', 'even if dependent items break')
    .action(async (file: string, options: { notes: string; force?: boolean }, command: Command) => {
      const answer = await callApi<{ name: string; edition: number }>('POST', '/api/v1/reports', {
        body: { definition: readJsonFile(file), notes: options.notes, isConfirmed: options.force === true },
      });
      show(command, answer, ({ name, edition }) => line(`Report “${name}”: edition ${edition} published.`));
    });
  report
    .command('draft <dataset>')
    .description('Write a first definition from a dataset')
    .option('--out <file>', 'file; default: the terminal')
    .addHelpText('after', '\nExample:\n  underbell report draft sailings --out sailings.report.json')
    .action(async (dataset: string, options: { out?: string }, command: Command) => {
      const answer = await callApi<object>('GET', `/api/v1/datasets/${encodeURIComponent(dataset)}/report-draft`);
      const text = `${JSON.stringify(answer, null, 2)}\n`;
      if (!options.out) return void process.stdout.write(text);
      // An existing file is somebody's work.
      writeNewFile(options.out, text);
      show(command, answer, () =>
        line(`“${options.out!}” written. Publish it: underbell report publish ${options.out!}`),
      );
    });
  addEditionCommands(report);
}

const signs: Readonly<Record<string, string>> = { added: '+', removed: '-', changed: '~' };

function addEditionCommands(report: Command): void {
  const at = (name: string) => `/api/v1/reports/${encodeURIComponent(name)}`;
  report
    .command('compare <name> <from> <to>')
    .description('Compare two editions')
    .action(async (name: string, from: string, to: string, _options, command: Command) => {
      const answer = await callApi<ComparedEditions>('GET', `${at(name)}/compare`, { query: { from, to } });
      show(command, answer, ({ changes, breaks }) => {
        if (changes.length === 0) line('No differences.');
        for (const one of changes) {
          line(`${signs[one.change] ?? ' '} ${one.what} ${one.name}`);
          for (const { option, before, after } of one.details)
            line(faint(`    ${option}: ${before ?? 'nothing'} → ${after ?? 'nothing'}`));
        }
        for (const one of breaks) line(`Edition ${to} breaks ${one.user}: ${one.what}.`);
      });
    });
  report
    .command('rollback <name> <edition>')
    .description('Roll back to an earlier edition')
    .option('--force', 'even if dependent items break')
    .action(async (name: string, edition: string, options: { force?: boolean }, command: Command) => {
      const answer = await callApi('POST', `${at(name)}/rollback`, {
        body: { edition: Number(edition), isConfirmed: options.force === true },
      });
      show(command, answer, () => line(`Report “${name}” rolled back to edition ${edition}.`));
    });
  report
    .command('retire <name> <edition>')
    .description('Retire an edition (permanent)')
    .action(async (name: string, edition: string, _options, command: Command) => {
      const answer = await callApi('POST', `${at(name)}/editions/${encodeURIComponent(edition)}/retire`);
      show(command, answer, () => line(`Report “${name}”: edition ${edition} retired.`));
    });
}
