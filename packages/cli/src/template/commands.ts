import { basename } from 'node:path';
import type { Command } from 'commander';
import type { ShownTemplate } from '@underbell/core/template';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/workbook-templates/${encodeURIComponent(name)}`;
const targetWords = ({ target }: ShownTemplate) =>
  'table' in target ? `table ${target.table}` : `sheet ${target.sheet}`;

function tell(template: ShownTemplate): void {
  const { columns, warnings } = template.summary;
  line(`${template.name}, version ${template.version}: ${template.fileName}, data goes to ${targetWords(template)}`);
  table(columns, [
    { heading: 'heading', cell: (one) => one.heading },
    {
      heading: 'content of a copy',
      cell: (one) =>
        one.isComputed ? 'formula' : one.isHeld ? 'rows of the recipient' : 'rows, if the dataset has this column',
    },
  ]);
  for (const one of warnings) line(`Note: ${one}.`);
}

export function addTemplateCommands(program: Command): void {
  const template = program.command('template').description('Workbook templates');
  template
    .command('upload <file>')
    .description('Upload an .xlsx file as the next version')
    .requiredOption('--name <name>', 'template; created if it does not exist')
    .option('--table <table>', 'table for the data')
    .option('--sheet <sheet>', 'sheet for the data, if there is no table')
    .addHelpText('after', '\nExample:\n  underbell template upload quay-book.xlsx --name quay-book --table Sailings')
    .action(async (file: string, options: { name: string; table?: string; sheet?: string }, command: Command) => {
      const { name, ...query } = options;
      const answer = await callApi<ShownTemplate>('PUT', pathOf(name), {
        query: { ...query, file: basename(file) },
        file: { path: file, type: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' },
      });
      show(command, answer, tell);
    });
  template
    .command('list')
    .description('List workbook templates')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ templates: ShownTemplate[] }>('GET', '/api/v1/workbook-templates');
      show(command, answer, ({ templates }) =>
        table(templates, [
          { heading: 'template', cell: (one) => one.name },
          { heading: 'version', cell: (one) => one.version, isNumber: true },
          { heading: 'file', cell: (one) => one.fileName },
          { heading: 'data goes to', cell: targetWords },
          { heading: 'uploaded by', cell: (one) => one.loadedBy },
        ]),
      );
    });
  template
    .command('show <name>')
    .description('Show a workbook template')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownTemplate>('GET', pathOf(name)), tell);
    });
}
