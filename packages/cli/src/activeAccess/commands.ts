import { InvalidArgumentError, type Command } from 'commander';
import { accessKinds, type DoorKind, type ActiveAccess, type OpenDoors } from '@underbell/core/activeAccess';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi, callService } from '../platform/service.ts';

interface FilterOptions {
  readonly kind?: string;
  readonly user?: string;
  readonly item?: string;
  readonly olderThanDays?: string;
  readonly unusedDays?: string;
}

const queryOf = ({ user, item, ...rest }: FilterOptions) => ({ ...rest, person: user, of: item });

const addFilter = (command: Command): Command =>
  command
    .option('--kind <kind>', accessKinds.join(', '))
    .option('--user <text>', 'part of the user it was granted to or by')
    .option('--item <item>', 'item, example: "report quay-punctuality"')
    .option('--older-than-days <days>', 'created at least so many days ago')
    .option('--unused-days <days>', 'not used for so many days, or never');

function tell(open: readonly ActiveAccess[]): void {
  table(open, [
    { heading: 'kind', cell: (one) => one.kind },
    { heading: 'id', cell: (one) => one.id },
    { heading: 'to', cell: (one) => one.to },
    { heading: 'item', cell: (one) => (one.of ? `${one.of.kind} ${one.of.name}` : '') },
    { heading: 'limits', cell: (one) => one.limits },
    { heading: 'created', cell: (one) => shortTime(one.madeAt) },
    { heading: 'last used', cell: (one) => shortTime(one.lastUsedAt) },
    { heading: 'expires', cell: (one) => shortTime(one.endsAt) },
  ]);
}

const readEntry = (text: string, before: readonly { kind: DoorKind; id: string }[]) => {
  const at = text.indexOf(':');
  const kind = text.slice(0, at);
  if (!(accessKinds as readonly string[]).includes(kind))
    throw new InvalidArgumentError('Use KIND:ID as printed by the list, example: "access token:…".');
  return [...before, { kind: kind as DoorKind, id: text.slice(at + 1) }];
};

export function addActiveAccessCommands(program: Command): void {
  const access = program.command('access').description('Everything that gives access');
  addFilter(access.command('list'))
    .description('List active access: yours, or all for administrators')
    .option('--csv', 'print CSV')
    .action(async (options: FilterOptions & { csv?: boolean }, command: Command) => {
      const { csv, ...filter } = options;
      const query = queryOf(filter);
      if (csv) {
        const answer = await callService('GET', '/api/v1/active-access', { query: { ...query, format: 'csv' } });
        process.stdout.write(await answer.text());
        return;
      }
      const answer = await callApi<OpenDoors>('GET', '/api/v1/active-access', { query });
      show(command, answer, ({ open: found, failed = [] }) => {
        tell(found);
        line(plural(found.length, 'entry', 'entries'));
        if (failed.length > 0) line(`Not listed: ${failed.join(', ')}. Try again, or see the service log.`);
      });
      if (answer.failed) process.exitCode = 5;
    });
  addFilter(access.command('revoke'))
    .description('Revoke access; without --yes: list what would stop working')
    .option('--id <kind:id>', 'entry of the list; repeatable', readEntry, [])
    .option('--yes', 'revoke')
    .addHelpText('after', '\nExample:\n  underbell access revoke --kind "access token" --unused-days 90 --yes')
    .action(
      async (
        options: FilterOptions & { id: readonly { kind: DoorKind; id: string }[]; yes?: boolean },
        command: Command,
      ) => {
        const { id: ids, yes, ...filter } = options;
        const query = queryOf(filter);
        if (ids.length === 0 && Object.keys(filter).length === 0)
          throw localProblem('INPUT_INVALID', 'Specify what to revoke.', {
            hint: '--id KIND:ID, or a filter such as --kind',
          });
        const { open: all } = await callApi<OpenDoors>('GET', '/api/v1/active-access', { query });
        const meant = all.filter(
          (one) => one.mayEnd && (ids.length === 0 || ids.some(({ kind, id }) => kind === one.kind && id === one.id)),
        );
        if (!yes || meant.length === 0) {
          show(command, { wouldRevoke: meant }, () => {
            for (const one of meant) line(`${one.kind} ${one.id}: ${one.ending}`);
            line(
              meant.length === 0
                ? 'No entry matches.'
                : `Not revoked yet. Add --yes to revoke ${plural(meant.length, 'entry', 'entries')}.`,
            );
          });
          return;
        }
        const body = { doors: meant.map(({ kind, id }) => ({ kind, id })) };
        const answer = await callApi<{ ended: number; problems: { kind: string; id: string; message: string }[] }>(
          'POST',
          '/api/v1/active-access/revoke',
          { body },
        );
        show(command, answer, ({ ended, problems }) => {
          line(`${plural(ended, 'entry', 'entries')} revoked.`);
          for (const one of problems) line(`${one.kind} ${one.id}: ${one.message}`);
        });
      },
    );
}
