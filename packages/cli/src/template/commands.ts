import { basename } from 'node:path';
import type { Command } from 'commander';
import type { ShownTemplate } from '@underbell/core/template';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/templates/${encodeURIComponent(name)}`;
const targetWords = ({ target }: ShownTemplate) =>
  'table' in target ? `table ${target.table}` : `sheet ${target.sheet}`;

function tell(template: ShownTemplate): void {
  const { columns, warnings } = template.summary;
  line(`${template.name}, version ${template.version}: ${template.fileName}, rows go to ${targetWords(template)}`);
  table(columns, [
    { heading: 'heading', cell: (one) => one.heading },
    {
      heading: 'what a copy has there',
      cell: (one) =>
        one.isComputed
          ? 'its formula, in every row'
          : one.isHeld
            ? 'the rows of its recipient'
            : 'the rows, or nothing',
    },
  ]);
  for (const one of warnings) line(`Note: ${one}.`);
}

export function addTemplateCommands(program: Command): void {
  const template = program.command('template').description('prepared workbooks that copies are filled into');
  template
    .command('add <file>')
    .description('load a prepared workbook (.xlsx) as the next version of a template')
    .requiredOption('--name <name>', 'the template, made when it is new')
    .option('--table <table>', 'the table that the rows go to')
    .option('--sheet <sheet>', 'the sheet that the rows go to, where it has no table')
    .addHelpText('after', '\nExample:\n  underbell template add quay-book.xlsx --name quay-book --table Sailings')
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
    .description('the templates that you may see')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ templates: ShownTemplate[] }>('GET', '/api/v1/templates');
      show(command, answer, ({ templates }) =>
        table(templates, [
          { heading: 'template', cell: (one) => one.name },
          { heading: 'version', cell: (one) => one.version, isNumber: true },
          { heading: 'file', cell: (one) => one.fileName },
          { heading: 'rows go to', cell: targetWords },
          { heading: 'loaded by', cell: (one) => one.loadedBy },
        ]),
      );
    });
  template
    .command('show <name>')
    .description('what a copy will be, and what it will not be as it was made')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownTemplate>('GET', pathOf(name)), tell);
    });
}
