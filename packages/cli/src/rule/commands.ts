import type { RowRule, RowRuleTest } from '@underbell/core/access';
import type { Command } from 'commander';
import { localProblem } from '../platform/problem.ts';
import { line, plural, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

function readHolder(options: { group?: string; user?: string; everyone?: boolean }): RowRule['appliesTo'] {
  const given = [options.group, options.user, options.everyone].filter((one) => one !== undefined);
  if (given.length !== 1)
    throw localProblem('INPUT_INVALID', 'Specify exactly one principal.', {
      hint: '--group NAME, --user EMAIL or --everyone',
    });
  if (options.group) return { kind: 'group', name: options.group };
  return options.user ? { kind: 'person', name: options.user } : { kind: 'everyone' };
}

const rulePath = (dataset: string, name: string) =>
  `/api/v1/datasets/${encodeURIComponent(dataset)}/row-rules/${encodeURIComponent(name)}`;

export function addRowRuleCommands(program: Command): void {
  const rule = program.command('row-rule').description('Row rules: which rows users see');
  rule
    .command('list <dataset>')
    .description('List the row rules of a dataset')
    .action(async (dataset: string, _options, command: Command) => {
      const answer = await callApi<{ rules: RowRule[] }>(
        'GET',
        `/api/v1/datasets/${encodeURIComponent(dataset)}/row-rules`,
      );
      show(command, answer, ({ rules }) => {
        if (rules.length === 0) return line('No row rules: users who can view a report see all rows.');
        table(rules, [
          { heading: 'row rule', cell: (one) => one.name },
          {
            heading: 'for',
            cell: (one) =>
              one.appliesTo.kind === 'everyone' ? 'everyone' : `${one.appliesTo.kind} ${one.appliesTo.name}`,
          },
          { heading: 'rows', cell: (one) => one.where },
        ]);
      });
    });
  rule
    .command('save <dataset> <name>')
    .description('Save a row rule')
    .requiredOption('--filter <filter>', "CQL2 text; person('attribute') is the value of the viewer")
    .option('--group <name>', 'members of a group')
    .option('--user <email>', 'one user')
    .option('--everyone', 'all users')
    .addHelpText(
      'after',
      '\nExample:\n  underbell row-rule save sailings own-quay --group "Quay managers" --filter "quay_id = person(\'quay\')"',
    )
    .action(
      async (
        dataset: string,
        name: string,
        options: { filter: string; group?: string; user?: string; everyone?: boolean },
        command: Command,
      ) => {
        const body = { appliesTo: readHolder(options), where: options.filter };
        const answer = await callApi<{ rule: RowRule }>('PUT', rulePath(dataset, name), { body });
        show(command, answer, () => line(`Row rule “${name}” of dataset “${dataset}” saved.`));
      },
    );
  rule
    .command('delete <dataset> <name>')
    .description('Delete a row rule')
    .option('--force', 'even if it is the last one, which opens all rows', false)
    .action(async (dataset: string, name: string, options: { force: boolean }, command: Command) => {
      await callApi('DELETE', rulePath(dataset, name), { query: { confirmed: options.force } });
      show(command, { deleted: name }, () => line(`Row rule “${name}” of dataset “${dataset}” deleted.`));
    });
  rule
    .command('test <dataset>')
    .description('Show what a rule means and which rows it keeps')
    .requiredOption('--filter <filter>', 'CQL2 text or JSON')
    .option('--as <email>', 'viewer; default: you')
    .action(async (dataset: string, options: { filter: string; as?: string }, command: Command) => {
      const body = { appliesTo: { kind: 'everyone' }, where: options.filter, as: options.as };
      const path = `/api/v1/datasets/${encodeURIComponent(dataset)}/row-rules/test`;
      const answer = await callApi<RowRuleTest>('POST', path, { body });
      show(command, answer, (trial) => {
        line(`Meaning: ${trial.words}`);
        line(`${trial.for.name} sees ${trial.rowsKept.toLocaleString('en-GB')} of ${plural(trial.rowsTotal, 'row')}.`);
      });
    });
}
