import type { RowRule, RowRuleTest } from '@underbell/core/access';
import type { Command } from 'commander';
import { localProblem } from '../platform/problem.ts';
import { line, plural, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

function readHolder(options: { group?: string; person?: string; everyone?: boolean }): RowRule['appliesTo'] {
  const given = [options.group, options.person, options.everyone].filter((one) => one !== undefined);
  if (given.length !== 1)
    throw localProblem('INPUT_INVALID', 'say for whom the rule is', {
      hint: 'one of --group NAME, --person EMAIL, --everyone',
    });
  if (options.group) return { kind: 'group', name: options.group };
  return options.person ? { kind: 'person', name: options.person } : { kind: 'everyone' };
}

const rulePath = (dataset: string, name: string) =>
  `/api/v1/datasets/${encodeURIComponent(dataset)}/rules/${encodeURIComponent(name)}`;

export function addRuleCommands(program: Command): void {
  const rule = program.command('rule').description('conditions that limit the rows people see');
  rule
    .command('list <dataset>')
    .description('the row rules of a dataset')
    .action(async (dataset: string, _options, command: Command) => {
      const answer = await callApi<{ rules: RowRule[] }>(
        'GET',
        `/api/v1/datasets/${encodeURIComponent(dataset)}/rules`,
      );
      show(command, answer, ({ rules }) => {
        if (rules.length === 0) return line('No rules: whoever may view a report sees every row.');
        table(rules, [
          { heading: 'rule', cell: (one) => one.name },
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
    .command('add <dataset> <name>')
    .description('save a row rule')
    .requiredOption('--where <filter>', "CQL2 text; person('attribute') is the viewer's own value")
    .option('--group <name>', 'for the members of a group')
    .option('--person <email>', 'for one person')
    .option('--everyone', 'for everyone')
    .addHelpText(
      'after',
      '\nExample:\n  underbell rule add sailings own-quay --group "Quay managers" --where "quay_id = person(\'quay\')"',
    )
    .action(
      async (
        dataset: string,
        name: string,
        options: { where: string; group?: string; person?: string; everyone?: boolean },
        command: Command,
      ) => {
        const body = { appliesTo: readHolder(options), where: options.where };
        const answer = await callApi<{ rule: RowRule }>('PUT', rulePath(dataset, name), { body });
        show(command, answer, () => line(`The rule ${name} of ${dataset} is saved.`));
      },
    );
  rule
    .command('remove <dataset> <name>')
    .description('remove a row rule')
    .option('--yes', 'also when it is the last one and every row opens', false)
    .action(async (dataset: string, name: string, options: { yes: boolean }, command: Command) => {
      await callApi('DELETE', rulePath(dataset, name), { query: { confirmed: options.yes } });
      show(command, { removed: name }, () => line(`The rule ${name} of ${dataset} is removed.`));
    });
  rule
    .command('try <dataset>')
    .description('what a rule means and which rows it keeps, before it is saved')
    .requiredOption('--where <filter>', 'CQL2 text or JSON')
    .option('--as <email>', 'for this person; yourself when left out')
    .action(async (dataset: string, options: { where: string; as?: string }, command: Command) => {
      const body = { appliesTo: { kind: 'everyone' }, where: options.where, as: options.as };
      const path = `/api/v1/datasets/${encodeURIComponent(dataset)}/try-rule`;
      const answer = await callApi<RowRuleTest>('POST', path, { body });
      show(command, answer, (trial) => {
        line(`Understood as: ${trial.words}`);
        line(
          `For ${trial.for.name}: ${trial.rowsKept.toLocaleString('en-GB')} of ${plural(trial.rowsTotal, 'row')} kept.`,
        );
      });
    });
}
