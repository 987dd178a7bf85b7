import { InvalidArgumentError, type Command } from 'commander';
import { accessKinds, type DoorKind, type ActiveAccess, type OpenDoors } from '@underbell/core/activeAccess';
import { line, plural, shortTime, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi, callService } from '../platform/service.ts';

interface FilterOptions {
  readonly kind?: string;
  readonly person?: string;
  readonly of?: string;
  readonly olderThanDays?: string;
  readonly unusedDays?: string;
}

const addFilter = (command: Command): Command =>
  command
    .option('--kind <kind>', accessKinds.join(', '))
    .option('--person <text>', 'part of whom it was given to or by')
    .option('--of <thing>', 'what it opens, such as "report quay-punctuality"')
    .option('--older-than-days <days>', 'made at least so long ago')
    .option('--unused-days <days>', 'not used for so long, or never');

function tell(open: readonly ActiveAccess[]): void {
  table(open, [
    { heading: 'kind', cell: (one) => one.kind },
    { heading: 'id', cell: (one) => one.id },
    { heading: 'to', cell: (one) => one.to },
    { heading: 'of', cell: (one) => (one.of ? `${one.of.kind} ${one.of.name}` : '') },
    { heading: 'limits', cell: (one) => one.limits },
    { heading: 'made', cell: (one) => shortTime(one.madeAt) },
    { heading: 'last used', cell: (one) => shortTime(one.lastUsedAt) },
    { heading: 'ends', cell: (one) => shortTime(one.endsAt) },
  ]);
}

const readDoor = (text: string, before: readonly { kind: DoorKind; id: string }[]) => {
  const at = text.indexOf(':');
  const kind = text.slice(0, at);
  if (!(accessKinds as readonly string[]).includes(kind))
    throw new InvalidArgumentError('write it as KIND:ID, as the list names them: "access token:…"');
  return [...before, { kind: kind as DoorKind, id: text.slice(at + 1) }];
};

export function addOpenCommands(program: Command): void {
  const open = program.command('open').description('everything that was handed out and still opens something');
  addFilter(open.command('list'))
    .description('what is yours, or all of it for administrators')
    .option('--csv', 'as CSV')
    .action(async (options: FilterOptions & { csv?: boolean }, command: Command) => {
      const { csv, ...query } = options;
      if (csv) {
        const answer = await callService('GET', '/api/v1/open', { query: { ...query, format: 'csv' } });
        process.stdout.write(await answer.text());
        return;
      }
      const answer = await callApi<OpenDoors>('GET', '/api/v1/open', { query: { ...query } });
      show(command, answer, ({ open: found, failed = [] }) => {
        tell(found);
        line(plural(found.length, 'thing'));
        if (failed.length > 0) line(`Not listed: ${failed.join(', ')}. Try again, or see the service log.`);
      });
      if (answer.failed) process.exitCode = 5;
    });
  addFilter(open.command('end'))
    .description('end one, several, or all that match; without --yes it is told what will stop working')
    .option('--door <kind:id>', 'one of the list; may be repeated', readDoor, [])
    .option('--yes', 'end them')
    .addHelpText('after', '\nExample:\n  underbell open end --kind "access token" --unused-days 90 --yes')
    .action(
      async (
        options: FilterOptions & { door: readonly { kind: DoorKind; id: string }[]; yes?: boolean },
        command: Command,
      ) => {
        const { door, yes, ...query } = options;
        if (door.length === 0 && Object.keys(query).length === 0)
          throw localProblem('INPUT_INVALID', 'say which', { hint: '--door KIND:ID, or what they have in common' });
        const { open: all } = await callApi<OpenDoors>('GET', '/api/v1/open', { query: { ...query } });
        const meant = all.filter(
          (one) => one.mayEnd && (door.length === 0 || door.some(({ kind, id }) => kind === one.kind && id === one.id)),
        );
        if (!yes || meant.length === 0) {
          show(command, { wouldEnd: meant }, () => {
            for (const one of meant) line(`${one.kind} ${one.id}: ${one.ending}`);
            line(
              meant.length === 0
                ? 'Nothing matches.'
                : `Nothing was ended. End ${plural(meant.length, 'thing')}: --yes`,
            );
          });
          return;
        }
        const body = { doors: meant.map(({ kind, id }) => ({ kind, id })) };
        const answer = await callApi<{ ended: number; problems: { kind: string; id: string; message: string }[] }>(
          'POST',
          '/api/v1/open/end',
          { body },
        );
        show(command, answer, ({ ended, problems }) => {
          line(`${plural(ended, 'thing')} ended.`);
          for (const one of problems) line(`${one.kind} ${one.id}: ${one.message}`);
        });
      },
    );
}
