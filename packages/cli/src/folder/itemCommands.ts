import type { Redirect } from '@underbell/core/folder';
import type { Command } from 'commander';
import { deletableKinds, kindInfo, renamedKinds, trashableKinds, type TakenAwayKind } from '@underbell/core/access';
import { line, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

/** What deleting an item of a kind asks for. */
const deletions: Readonly<Record<TakenAwayKind, string>> = {
  burst: 'Delete a burst; its deliveries stay',
  list: 'Delete an unused recipient list',
  media: 'Delete an unused image or video',
  placement: 'Delete a placement',
  source: 'Delete an unused data source',
  template: 'Delete an unused workbook template',
  folder: 'Delete an empty folder',
  destination: 'Delete an unused destination',
};

/** Adds the commands that are the same for all kinds of items. */
export function addItemCommands(program: Command): void {
  const noun = (name: string) => program.commands.find((one) => one.name() === name)!;
  for (const kind of deletableKinds)
    noun(kind)
      .command('delete <name>')
      .description(deletions[kind])
      .action(async (name: string, _options, command: Command) => {
        await callApi('DELETE', `/api/v1/${kindInfo(kind).plural}/${encodeURIComponent(name)}`);
        show(command, { deleted: name, kind }, () => line(`Deleted ${kind} “${name}”.`));
      });
  for (const kind of trashableKinds)
    noun(kind)
      .command('delete <name>')
      .description('Move to trash')
      .option('--force', 'even if other items use it')
      .action(async (name: string, options: { force?: true }, command: Command) => {
        const path = `/api/v1/${kindInfo(kind).plural}/${encodeURIComponent(name)}`;
        const query = { confirmed: options.force };
        const answer = await callApi<{ uses: readonly { user: string }[] }>('DELETE', path, { query });
        show(command, answer, ({ uses }) => {
          line(`Moved ${kind} “${name}” to trash. Restore it within 30 days: underbell trash restore ${kind} ${name}`);
          if (uses.length > 0) line(`Items that used it: ${uses.map((one) => one.user).join(', ')}`);
        });
      });
  for (const kind of [...renamedKinds, 'group', 'user-attribute'] as const)
    noun(kind)
      .command('rename <name> <new-name>')
      .description('Rename; the old name redirects to the new one')
      .action(async (name: string, to: string, _options, command: Command) => {
        const plural = kind === 'group' || kind === 'user-attribute' ? `${kind}s` : kindInfo(kind).plural;
        const path = `/api/v1/${plural}/${encodeURIComponent(name)}/name`;
        show(command, await callApi<object>('PUT', path, { body: { name: to } }), () => line(`Renamed to “${to}”.`));
      });
  noun('user-attribute')
    .command('delete <name>')
    .description('Delete an unused user attribute')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/user-attributes/${encodeURIComponent(name)}`);
      show(command, { deleted: name, kind: 'user-attribute' }, () => line(`Deleted user attribute “${name}”.`));
    });
  for (const what of ['row-rule', 'mask'] as const)
    noun(what)
      .command('rename <dataset> <name> <new-name>')
      .description('Rename')
      .action(async (dataset: string, name: string, to: string, _options, command: Command) => {
        const path = `/api/v1/datasets/${encodeURIComponent(dataset)}/${what}s/${encodeURIComponent(name)}/name`;
        show(command, await callApi<object>('PUT', path, { body: { name: to } }), () => line(`Renamed to “${to}”.`));
      });
  const redirect = program.command('redirect').description('Old names that redirect to renamed items');
  redirect
    .command('list')
    .description('List redirects')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ names: Redirect[] }>('GET', '/api/v1/redirects');
      show(command, answer, ({ names }) => {
        table(names, [
          { heading: 'kind', cell: (one) => one.kind },
          { heading: 'old name', cell: (one) => one.name },
          { heading: 'now', cell: (one) => one.now },
        ]);
        if (names.length === 0) line('No redirects.');
      });
    });
  redirect
    .command('delete <kind> <name>')
    .description('Delete a redirect')
    .action(async (kind: string, name: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/redirects/${encodeURIComponent(kind)}/${encodeURIComponent(name)}`);
      show(command, { deleted: name, kind }, () => line(`Deleted the redirect from “${name}”.`));
    });
}
