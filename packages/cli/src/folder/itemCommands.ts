import type { Redirect } from '@underbell/core/folder';
import type { Command } from 'commander';
import { kindInfo, renamedKinds, deletableKinds, type RenamedKind, type TakenAwayKind } from '@underbell/core/access';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

/** What its removal asks for. */
const removals: Readonly<Record<TakenAwayKind, string>> = {
  burst: 'take a burst away that no run is going on of; its ledger stays',
  list: 'take a list away that no burst sends to',
  media: 'take a picture or video away that no playlist shows',
  placement: 'take a placement away; what shows it says that it is gone',
  source: 'take a source away that no dataset reads',
  template: 'take a prepared workbook away that no burst fills',
  folder: 'take an empty folder away',
  destination: 'take a destination away that no burst sends to',
};

/** Kinds by the nouns of the command line. */
const nounOf = (kind: RenamedKind | 'group') => (kind === 'placement' ? 'place' : kind);

/** Gives every noun of things the verbs that are alike for all. */
export function addThingCommands(program: Command): void {
  const noun = (kind: RenamedKind | 'group') => program.commands.find((one) => one.name() === nounOf(kind))!;
  for (const kind of deletableKinds)
    noun(kind)
      .command('remove <name>')
      .description(removals[kind])
      .action(async (name: string, _options, command: Command) => {
        await callApi('DELETE', `/api/v1/${kindInfo(kind).plural}/${encodeURIComponent(name)}`);
        show(command, { removed: name, kind }, () => line(`The ${kind} ${name} is gone.`));
      });
  for (const kind of [...renamedKinds, 'group'] as const)
    noun(kind)
      .command('rename <name> <new-name>')
      .description('give it another name; everything that names it follows, and its old name leads to it')
      .action(async (name: string, to: string, _options, command: Command) => {
        const plural = kind === 'group' ? 'groups' : kindInfo(kind).plural;
        const answer = await callApi<object>('PUT', `/api/v1/${plural}/${encodeURIComponent(name)}/name`, {
          body: { name: to },
        });
        show(command, answer, () => line(`The ${kind} ${name} is called ${to} now.`));
      });
  const attribute = program.commands.find((one) => one.name() === 'attribute')!;
  attribute
    .command('rename <name> <new-name>')
    .description('give it another name; people and row rules that have it follow, and its old name leads to it')
    .action(async (name: string, to: string, _options, command: Command) => {
      const path = `/api/v1/attributes/${encodeURIComponent(name)}/name`;
      show(command, await callApi<object>('PUT', path, { body: { name: to } }), () =>
        line(`The attribute ${name} is called ${to} now.`),
      );
    });
  attribute
    .command('remove <name>')
    .description('take an attribute away that nobody has and no row rule looks at')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/attributes/${encodeURIComponent(name)}`);
      show(command, { removed: name, kind: 'attribute' }, () => line(`The attribute ${name} is gone.`));
    });
  for (const what of ['rule', 'mask'] as const)
    program.commands
      .find((one) => one.name() === what)!
      .command('rename <dataset> <name> <new-name>')
      .description('give it another name')
      .action(async (dataset: string, name: string, to: string, _options, command: Command) => {
        const path = `/api/v1/datasets/${encodeURIComponent(dataset)}/${what}s/${encodeURIComponent(name)}/name`;
        show(command, await callApi<object>('PUT', path, { body: { name: to } }), () =>
          line(`The ${what} ${name} of ${dataset} is called ${to} now.`),
        );
      });
  const former = program.command('former-name').description('names that things had, which lead to them still');
  former
    .command('list')
    .description('those of things that you may change')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ names: Redirect[] }>('GET', '/api/v1/former-names');
      show(command, answer, ({ names }) => {
        table(names, [
          { heading: 'what', cell: (one) => one.kind },
          { heading: 'former name', cell: (one) => one.name },
          { heading: 'now', cell: (one) => one.now },
        ]);
        if (names.length === 0) line('Nothing was renamed.');
      });
    });
  former
    .command('remove <kind> <name>')
    .description('let it lead nowhere, so that another thing may have it')
    .action(async (kind: string, name: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/former-names/${encodeURIComponent(kind)}/${encodeURIComponent(name)}`);
      show(command, { removed: name, kind }, () => line(`${name} leads to no ${kind} any more.`));
    });
}
